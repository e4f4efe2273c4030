import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { SaveAs } from '../../shared/Export'
import { Empty, Loading, Trouble } from '../../shared/State'
import { list, shortDay, until } from '../../shared/words'
import { useDay } from '../../shell/day'
import { askPages } from '../../api/ask'

/** Who is in a group, at any depth, and why. */
export function MembersOf({ group }: { group: string }) {
  const { asOf, now } = useDay()
  const [text, setText] = useState('')
  const members = useInfiniteQuery({
    placeholderData: keepPreviousData,
    ...askPages('/api/v1/groups/{group}/members', (cursor) => ({
      params: { path: { group }, query: { q: text || undefined, as_of: asOf, limit: 100, cursor } },
    })),
  })
  if (members.error) return <Trouble error={members.error} retry={() => void members.refetch()} />
  if (!members.data) return <Loading what={t`who is in it`} />
  const all = members.data.pages.flatMap((p) => p.members)
  return (
    <>
      <div className="mt-1 flex items-center gap-4">
        <input
          type="search"
          className="field max-w-72"
          aria-label={t`Search all members`}
          placeholder={t`Name or user name`}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <span className="text-soft" role="status">
          {plural(members.data.pages[0]!.total, { one: '# user', other: '# users' })}
        </span>
        <span className="ml-auto">
          <SaveAs list={`groups/${group}/members`} query={{ q: text || undefined, as_of: asOf }} />
        </span>
      </div>
      {all.length === 0 && <Empty>{text ? t`No member matches.` : t`No members.`}</Empty>}
      {all.length > 0 && (
        <table className="register mt-2">
          <thead>
            <tr>
              <th>
                <Trans>Name</Trans>
              </th>
              <th>
                <Trans>Why</Trans>
              </th>
              <th>
                <Trans>Until</Trans>
              </th>
            </tr>
          </thead>
          <tbody>
            {all.map((m) => (
              <tr key={m.user.id}>
                <td className="w-72">
                  <Link to="/users/$user" params={{ user: m.user.key! }} className="press">
                    {m.user.label}
                  </Link>
                </td>
                <td>
                  <Why member={m} />
                </td>
                <td className={m.until ? 'text-brass w-40' : 'text-soft w-40'}>
                  {m.from && new Date(m.from) > now ? t`from ${shortDay(m.from)}` : until(m.until, now)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {members.hasNextPage && (
        <button
          type="button"
          className="button-quiet mt-3"
          disabled={members.isFetchingNextPage}
          onClick={() => void members.fetchNextPage()}
        >
          <Trans>More</Trans>
        </button>
      )}
    </>
  )
}

function Why({ member: m }: { member: Schemas['GroupMember'] }) {
  const through = list((m.through ?? []).map((g) => g.label))
  switch (m.how) {
    case 'everybody':
      return (
        <span className="text-soft">
          <Trans>everybody is</Trans>
        </span>
      )
    case 'rule':
      return (
        <>
          <Trans>chosen by the filter{through && t` of ${through}`} </Trans>
          <span className="text-soft font-mono text-sm">{m.rule}</span>
        </>
      )
    case 'group':
      return (
        <>
          <Trans>in the group {(m.through ?? []).map((g) => g.label).join(', in ')}</Trans>
        </>
      )
  }
  return (
    <>
      <Trans>listed</Trans>
    </>
  )
}
