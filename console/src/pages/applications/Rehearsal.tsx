import { Fragment, useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { answer, api } from '../../api/client'
import { Answer } from '../../shared/Answer'
import { Mark } from '../../shared/Mark'
import { PathText } from '../../shared/PathText'
import { Empty, Trouble } from '../../shared/State'
import { count, moment } from '../../shared/words'

/** What an application in rehearsal let through that live would deny. */
export function Rehearsal({ application }: { application: string }) {
  const rehearsal = useQuery({
    queryKey: ['rehearsal', application],
    queryFn: () => answer(api.GET('/api/v1/applications/{application}/rehearsal', { params: { path: { application } } })),
  })
  const [open, setOpen] = useState('')
  const counts = rehearsal.data?.counts ?? []
  const denied = counts.filter((c) => c.denied)
  return (
    <section aria-label="Rehearsal" className="border-brass mt-4 border-l-3 pl-3">
      <p>
        It rehearses: everybody signed in is let in. {rehearsal.data && <strong>Going live would deny {count(denied.length, 'thing')}</strong>}
        {rehearsal.data && ' that was asked for.'}
      </p>
      {rehearsal.error && <Trouble error={rehearsal.error} />}
      {rehearsal.data && counts.length === 0 && <Empty>Nothing has been asked for yet that live would deny.</Empty>}
      {counts.length > 0 && (
        <table className="register mt-1">
          <thead>
            <tr>
              <th>User</th>
              <th>Did</th>
              <th>How often, and last</th>
              <th>Once live</th>
            </tr>
          </thead>
          <tbody>
            {counts.slice(0, 100).map((c) => {
              const key = `${c.user.id} ${c.action} ${c.path}`
              return (
                <Fragment key={key}>
                <tr>
                  <td>
                    <Link to="/users/$user" params={{ user: c.user.key! }} className="press">
                      {c.user.label}
                    </Link>
                  </td>
                  <td>
                    {c.action} <PathText path={c.path} />
                  </td>
                  <td className="text-soft">
                    {c.times}, {moment(c.last_at)}
                  </td>
                  <td>{c.denied ? (
                    <button type="button" className="press text-brick" aria-expanded={open === key} onClick={() => setOpen(open === key ? '' : key)}>
                      denied: why
                    </button>
                  ) : <span className="text-kelp"><Mark name="direct" /> held by now</span>}</td>
                </tr>
                {open === key && (
                  <tr>
                    <td colSpan={4} className="bg-open">
                      <Answer ask={{ user: c.user.key, application, action: c.action, path: c.path }} />
                    </td>
                  </tr>
                )}
                </Fragment>
              )
            })}
          </tbody>
        </table>
      )}
      {counts.length > 100 && <p className="text-soft mt-1">The first 100 of {counts.length}.</p>}
    </section>
  )
}
