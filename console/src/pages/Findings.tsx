import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { useState } from 'react'
import type { Schemas } from '../api/client'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { askPages } from '../api/ask'

type Finding = Schemas['Finding']

const route = getRouteApi('/shell/findings')

/** What looks wrong, why it matters, and the change that would mend it. */
export function FindingsPage() {
  const { code, aside } = route.useSearch()
  const navigate = route.useNavigate()
  const { past } = useDay()
  const me = useMe()
  const findings = useInfiniteQuery({
    placeholderData: keepPreviousData,
    ...askPages('/api/v1/findings', (cursor) => ({ params: { query: { code, aside: aside === 'yes', cursor, limit: 100 } } })),
  })
  if (past)
    return (
      <>
        <h1>
          <Trans>Findings</Trans>
        </h1>
        <Empty>
          <Trans>They are about today: go back to today to see them.</Trans>
        </Empty>
      </>
    )
  if (findings.error) return <Trouble page error={findings.error} retry={() => void findings.refetch()} />
  if (!findings.data) return <Loading what={t`what looks wrong`} />
  const first = findings.data.pages[0]!
  const all = findings.data.pages.flatMap((p) => p.findings)
  const kinds = first.kinds.filter((k) => (aside === 'yes' ? k.aside : k.count) > 0)
  const whole = first.kinds.reduce((n, k) => n + k.count, 0)
  const setAside = first.kinds.reduce((n, k) => n + k.aside, 0)
  return (
    <>
      <Title list="findings" query={{ code, aside: aside === 'yes' || undefined }}>
        <Trans>Findings</Trans>
      </Title>
      <p className="text-soft mt-1">
        {whole === 0
          ? t`Nothing looks wrong.`
          : t`${plural(whole, { one: '# thing', other: '# things' })} ${whole === 1 ? t`looks` : t`look`} wrong, in ${plural(first.kinds.filter((k) => k.count > 0).length, { one: '# way', other: '# ways' })}.`}{' '}
        {setAside > 0 && (
          <button
            type="button"
            className="press"
            onClick={() => void navigate({ search: (s) => ({ ...s, code: undefined, aside: aside === 'yes' ? undefined : 'yes' }) })}
          >
            {aside === 'yes' ? t`Back to those that wait` : t`${setAside} set aside`}
          </button>
        )}
      </p>
      <div className="mt-3 grid grid-cols-[17rem_1fr] gap-6">
        <nav aria-label={t`Kinds of findings`}>
          <ul>
            <li>
              <button
                type="button"
                aria-current={!code}
                className={`block w-full px-2 py-1 text-left ${!code ? 'bg-wash font-semibold' : 'text-harbour'}`}
                onClick={() => void navigate({ search: (s) => ({ ...s, code: undefined }) })}
              >
                <Trans>All kinds</Trans>
              </button>
            </li>
            {kinds.map((k) => (
              <li key={k.code}>
                <button
                  type="button"
                  aria-current={code === k.code}
                  className={`flex w-full justify-between gap-2 px-2 py-1 text-left ${code === k.code ? 'bg-wash font-semibold' : 'text-harbour'}`}
                  onClick={() => void navigate({ search: (s) => ({ ...s, code: k.code }) })}
                >
                  {k.title} <span className="text-soft font-normal">{aside === 'yes' ? k.aside : k.count}</span>
                </button>
              </li>
            ))}
          </ul>
        </nav>
        <div>
          {all.length === 0 && <Empty>{aside === 'yes' ? t`Nothing is set aside.` : t`Nothing of this kind looks wrong.`}</Empty>}
          {first.kinds.map((k) => {
            const these = all.filter((f) => f.code === k.code)
            if (these.length === 0) return null
            return (
              <section key={k.code} aria-label={k.title} className="mb-6">
                <h2 className="border-rule border-b pb-1">{k.title}</h2>
                <p className="text-soft mt-1 text-sm">{k.why}</p>
                <ul>
                  {these.map((f) => (
                    <One key={f.key} finding={f} revision={first.revision} writes={!!me.may['settings.update']} />
                  ))}
                </ul>
              </section>
            )
          })}
          {findings.hasNextPage && (
            <button
              type="button"
              className="button-quiet"
              disabled={findings.isFetchingNextPage}
              onClick={() => void findings.fetchNextPage()}
            >
              <Trans>More, of {first.total}</Trans>
            </button>
          )}
        </div>
      </div>
    </>
  )
}

function One({ finding: f, revision, writes }: { finding: Finding; revision: number; writes: boolean }) {
  const sheet = useSheet()
  const [leaving, setLeaving] = useState(false)
  const [until, setUntil] = useState('')
  return (
    <li className="border-rule border-b py-2">
      <div className="flex flex-wrap items-baseline justify-between gap-x-4">
        <span>{f.message}</span>
        <span className="flex flex-wrap gap-x-4 gap-y-2">
          {f.mend && !f.aside && (
            <button
              type="button"
              className="press"
              title={f.mend_words}
              aria-label={t`Mend: ${f.message}`}
              onClick={() => sheet.add({ verb: t`Mend`, what: f.message, detail: f.mend_words, operations: f.mend! }, revision)}
            >
              <Trans>Mend</Trans>
            </button>
          )}
          {writes && !f.aside && (
            <button
              type="button"
              className="press inline-block min-h-7"
              aria-expanded={leaving}
              aria-label={t`Set aside: ${f.message}`}
              onClick={() => setLeaving(!leaving)}
            >
              <Trans>Set aside</Trans>
            </button>
          )}
          {writes && f.aside && (
            <button
              type="button"
              className="press"
              aria-label={t`Show again: ${f.message}`}
              onClick={() =>
                sheet.add({ verb: t`Show again`, what: f.message, operations: [{ op: 'take_up_finding', findings: [f.key] }] }, revision)
              }
            >
              <Trans>Show again</Trans>
            </button>
          )}
        </span>
      </div>
      <p className="text-soft text-sm">
        {f.mend_words}.{' '}
        {f.role?.key && (
          <Link to="/roles/$role" params={{ role: f.role.key }} className="press">
            <Trans>The role</Trans>
          </Link>
        )}{' '}
        {f.user?.key && (
          <Link to="/users/$user" params={{ user: f.user.key }} className="press">
            <Trans>The user</Trans>
          </Link>
        )}{' '}
        {f.group?.key && (
          <Link to="/groups/$group" params={{ group: f.group.key }} className="press">
            <Trans>The group</Trans>
          </Link>
        )}{' '}
        {f.application?.key && !f.role && (
          <Link to="/applications/$application" params={{ application: f.application.key }} search={{ tab: 'coverage' }} className="press">
            <Trans>The application</Trans>
          </Link>
        )}
      </p>
      {f.aside && (
        <p className="text-brass text-sm">
          <Trans>Set aside until {shortDay(f.aside.until)}</Trans>
          {f.aside.by && t` by ${f.aside.by.label}`}
          {f.aside.why && `: ${f.aside.why}`}
        </p>
      )}
      {leaving && (
        <form
          className="mt-1 flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault()
            sheet.add(
              {
                verb: t`Set aside`,
                what: f.message,
                detail: t`until ${shortDay(until)}`,
                operations: [{ op: 'set_aside_finding', findings: [f.key], until }],
              },
              revision,
            )
            setLeaving(false)
          }}
        >
          <label className="text-sm">
            <Trans>Until the end of</Trans>
            <input type="date" required className="field" value={until} onChange={(e) => setUntil(e.target.value)} />
          </label>
          <button type="submit" className="button-quiet" disabled={until === ''}>
            <Trans>Add to change sheet</Trans>
          </button>
          <span className="text-soft text-sm">
            <Trans>The reason is the change's.</Trans>
          </span>
        </form>
      )}
    </li>
  )
}
