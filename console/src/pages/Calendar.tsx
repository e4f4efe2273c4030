import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { ask } from '../api/ask'
import type { Schemas } from '../api/client'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { PickBox } from '../shared/PickBox'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useUnits } from './users/choices'

const route = getRouteApi('/shell/calendar')

type Entry = Schemas['CalendarEntry']

const words = {
  access_begins: t`Access begins`,
  access_ends: t`Access ends`,
  membership_begins: t`Membership begins`,
  membership_ends: t`Membership ends`,
  start_date: t`First day`,
  end_date: t`Last day`,
  freeze_begins: t`A freeze begins`,
  freeze_ends: t`A freeze ends`,
}

const who = (e: Entry) => e.user?.label ?? (e.group ? t`the group ${e.group.label}` : (e.label ?? ''))
const what = (e: Entry) => e.role?.label ?? (e.user && e.group ? t`the group ${e.group.label}` : '')

const columns: ListColumn<Entry>[] = [
  {
    key: 'day',
    label: t`Day`,
    value: (e) => e.day,
    show: (e) => <span className="whitespace-nowrap tabular-nums">{shortDay(e.day)}</span>,
  },
  {
    key: 'kind',
    label: t`What`,
    value: (e) => words[e.kind],
    show: (e) => <span className={e.kind.endsWith('ends') || e.kind === 'end_date' ? 'text-brass' : ''}>{words[e.kind]}</span>,
    choose: true,
  },
  {
    key: 'who',
    label: t`Who`,
    value: who,
    show: (e) =>
      e.user?.key ? (
        <Link to="/users/$user" params={{ user: e.user.key }} search={e.role ? { tab: 'given' } : {}} className="press">
          {e.user.label}
        </Link>
      ) : e.group?.key && !e.user ? (
        <Link to="/groups/$group" params={{ group: e.group.key }} className="press">
          {e.group.label}
        </Link>
      ) : (
        who(e)
      ),
  },
  {
    key: 'of',
    label: t`Of`,
    value: what,
    show: (e) =>
      e.role?.key ? (
        <Link to="/roles/$role" params={{ role: e.role.key }} className="press">
          {e.role.label}
        </Link>
      ) : (
        what(e)
      ),
  },
  { key: 'application', label: t`Application`, value: (e) => e.application?.label ?? '', choose: true },
]

/** What begins and ends in the days to come. */
export function CalendarPage() {
  const { unit, days = 90 } = route.useSearch()
  const navigate = route.useNavigate()
  const { past } = useDay()
  const me = useMe()
  const units = useUnits()
  const reads = !!me.may['users.read']
  const calendar = useQuery({ ...ask('/api/v1/calendar', { params: { query: { days, unit, mine: !reads } } }), enabled: !past })
  if (past)
    return (
      <>
        <h1>
          <Trans>Calendar</Trans>
        </h1>
        <Empty>
          <Trans>This page looks ahead from today: go back to today to see it.</Trans>
        </Empty>
      </>
    )
  if (calendar.error) return <Trouble page error={calendar.error} retry={() => void calendar.refetch()} />
  if (!calendar.data) return <Loading what={t`what begins and ends`} />
  const { entries, more } = calendar.data
  return (
    <>
      <Title list="calendar" query={{ days, unit, mine: !reads }}>
        <Trans>Calendar</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>
          What begins and ends in the days to come{reads ? '' : t`, of what is yours`}: access, memberships, first and last days.
        </Trans>
      </p>
      <div className="mt-3 flex flex-wrap items-end gap-4">
        <label>
          <Trans>Within</Trans>
          <select
            className="field"
            value={days}
            onChange={(e) => void navigate({ search: (s) => ({ ...s, days: Number(e.target.value) }) })}
          >
            {[14, 30, 90, 180, 366].map((n) => (
              <option key={n} value={n}>
                <Trans>{n} days</Trans>
              </option>
            ))}
          </select>
        </label>
        {reads && (
          <div className="w-72">
            <Trans>People of a unit</Trans>
            <PickBox
              label={t`Unit to look at`}
              choices={units}
              value={units.find((u) => u.key === unit) ?? null}
              onChange={(c) => void navigate({ search: (s) => ({ ...s, unit: c?.key }) })}
            />
          </div>
        )}
        {unit && (
          <button type="button" className="press text-sm" onClick={() => void navigate({ search: (s) => ({ ...s, unit: undefined }) })}>
            <Trans>All units</Trans>
          </button>
        )}
      </div>
      {entries.length === 0 ? (
        <Empty>
          <Trans>Nothing begins or ends within {days} days.</Trans>
        </Empty>
      ) : (
        <ListTable
          what={t`date`}
          rows={entries}
          columns={columns}
          id={(e) => [e.at, e.kind, e.assignment, e.user?.id, e.group?.id, e.label].filter(Boolean).join(' ')}
        />
      )}
      {more ? (
        <p className="text-brass mt-2">
          <Trans>{more} later ones are left out: choose fewer days, or a unit.</Trans>
        </p>
      ) : null}
    </>
  )
}
