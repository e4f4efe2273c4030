import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { useCommit } from '../../shared/commit'
import { Empty, Faults, Loading, Trouble } from '../../shared/State'
import { endOfDay } from '../../shared/words'
import { useMe } from '../../shell/session'
import { Gains } from './One'
import { ask } from '../../api/ask'
import { useTyped } from '../../shell/drafts'
import { Lost } from '../../shared/Lost'

const route = getRouteApi('/shell/catalogue')

/** Asking for access: found by what one wants to do, seen before it is asked for. */
export function CataloguePage() {
  const search = route.useSearch()
  const navigate = route.useNavigate()
  const me = useMe()
  const people = useQuery({
    ...ask('/api/v1/users', { params: { query: { filter: `manager eq "${me.user.key}" and status eq "active"`, limit: 200 } } }),
  })
  const offers = useQuery({
    placeholderData: keepPreviousData,
    ...ask('/api/v1/catalogue', { params: { query: { q: search.q, user: search.user } } }),
  })
  const mine = (people.data?.users ?? []).filter((u) => u.id !== me.user.id)
  return (
    <>
      <h1>
        <Trans>Access catalogue</Trans>
      </h1>
      <p className="text-soft mt-1">
        <Trans>Say what you want to do and request a role. You can follow each request.</Trans>
      </p>
      <div className="mt-3 flex flex-wrap items-end gap-4">
        <label className="grow">
          <Trans>What do you want to do?</Trans>
          <input
            type="search"
            className="field"
            placeholder={t`assign vessels, look tariffs up …`}
            value={search.q ?? ''}
            onChange={(e) => void navigate({ search: (s) => ({ ...s, q: e.target.value || undefined }), replace: true })}
          />
        </label>
        {mine.length > 0 && (
          <label>
            <Trans>For whom?</Trans>
            <select
              className="field w-auto"
              value={search.user ?? ''}
              onChange={(e) => void navigate({ search: (s) => ({ ...s, user: e.target.value || undefined }) })}
            >
              <option value="">
                <Trans>Myself</Trans>
              </option>
              {mine.map((u) => (
                <option key={u.id} value={u.user_name}>
                  {u.display_name}
                </option>
              ))}
            </select>
          </label>
        )}
      </div>
      {offers.error && <Trouble error={offers.error} retry={() => void offers.refetch()} />}
      {offers.isPending && <Loading what={t`requestable roles`} />}
      {offers.data?.roles.length === 0 && (
        <Empty>
          <Trans>No requestable role matches. Try other words, or ask the owner of the application.</Trans>
        </Empty>
      )}
      <ul className="mt-3">
        {offers.data?.roles.map((o) => {
          const key = o.role.key ?? o.role.label
          return (
            <li key={key} className="border-rule border-b py-2">
              <button
                type="button"
                className="press text-left"
                aria-expanded={search.role === key}
                onClick={() => void navigate({ search: (s) => ({ ...s, role: s.role === key ? undefined : key }), replace: true })}
              >
                {o.words.charAt(0).toUpperCase() + o.words.slice(1)}
              </button>
              <div className="text-soft text-sm">
                {o.role.label}
                {o.application && t` in ${o.application.label}`}
                <Trans>
                  {o.max_days ? t`, for ${plural(o.max_days, { one: '# day', other: '# days' })} at most` : ''}; approved by{' '}
                  {o.steps.join(', then ')}.
                </Trans>
                {o.held && t` Held already.`}
              </div>
              {search.role === key && (
                <div ref={comesIntoView}>
                  <AskOne offer={o} user={search.user} />
                </div>
              )}
            </li>
          )
        })}
      </ul>
    </>
  )
}

/** What is opened from elsewhere may be far below. */
function comesIntoView(opened: HTMLElement | null) {
  opened?.scrollIntoView({ block: 'nearest' })
}

function AskOne({ offer: o, user }: { offer: Schemas['CatalogueRole']; user?: string }) {
  const zone = useMe().time_zone
  const [reason, setReason] = useTyped(`reason ${o.role.key}`, '')
  const [reference, setReference] = useTyped(`reference ${o.role.key}`, '')
  const [last, setLast] = useTyped(`last ${o.role.key}`, '')
  const [asked, setAsked] = useState<string>()
  const key = o.role.key ?? o.role.label
  const { commit, problem } = useCommit(`request ${key} ${user ?? ''}`, (result) => {
    setReason('')
    setLast('')
    setAsked(result.sentences[0] ?? t`Requested`)
  })
  const seen = useQuery(ask('/api/v1/catalogue/{role}', { params: { path: { role: key }, query: { user } } }))
  if (asked || o.waiting)
    return (
      <p role="status" className="mt-2">
        {asked ? `${asked}. ` : t`Requested already. `}
        {o.waiting && (
          <Link to="/requests/$request" params={{ request: o.waiting }} className="press">
            <Trans>See the request</Trans>
          </Link>
        )}
      </p>
    )
  return (
    <form
      aria-label={t`Request ${o.role.label}`}
      className="mt-2 max-w-160"
      onSubmit={(e) => {
        e.preventDefault()
        const until = last ? new Date(new Date(endOfDay(last, zone)).getTime() + 1).toISOString() : undefined
        commit.mutate({ reason, reference: reference.trim(), operations: [{ op: 'request_role', role: key, user, until }] })
      }}
    >
      {seen.error && <Trouble error={seen.error} />}
      {seen.data && <Gains gains={seen.data.gains ?? []} sodRules={seen.data.sod_rules ?? []} waiting />}
      <label className="mt-3 block">
        <Trans>Why it is needed</Trans>
        <textarea
          className="field mt-0.5"
          rows={2}
          maxLength={2000}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          placeholder={t`For the approvers`}
        />
      </label>
      <label className="mt-3 block max-w-80">
        <Trans>
          Reference <span className="text-soft text-sm">such as a ticket number</span>
        </Trans>
        <input className="field mt-0.5" maxLength={100} value={reference} onChange={(e) => setReference(e.target.value)} />
      </label>
      <label className="mt-2 flex items-center gap-2">
        <Trans>Last day </Trans>
        {o.max_days ? (
          ''
        ) : (
          <span className="text-soft text-sm">
            <Trans>if it is not permanent</Trans>
          </span>
        )}
        <input type="date" className="field w-auto" value={last} onChange={(e) => setLast(e.target.value)} />
      </label>
      {commit.lost && <Lost />}
      {problem && (
        <div role="alert" className="border-brick mt-3 border-l-3 pl-3">
          <p className="font-semibold">{problem.title}</p>
          <p>{problem.detail}</p>
          <Faults problem={problem} />
        </div>
      )}
      <button
        type="submit"
        className="button mt-3"
        disabled={reason.trim() === '' || (o.max_days !== undefined && !last) || commit.isPending}
      >
        <Trans>Request access</Trans>
      </button>
    </form>
  )
}
