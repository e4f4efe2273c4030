import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { ListTable, type ListColumn } from '../../shared/ListTable'
import { PickAndPut } from '../users/Several'
import { useRoleChoices } from '../users/choices'
import { keyOf } from '../../shared/key'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { unitWords } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { ask } from '../../api/ask'
import { useTyped } from '../../shell/drafts'

const columns: ListColumn<Schemas['Group']>[] = [
  {
    key: 'name',
    label: t`Group`,
    value: (g) => g.label,
    show: (g) => (
      <>
        <Link to="/groups/$group" params={{ group: g.key }} className="press">
          {g.label}
        </Link>
        {g.filter && (
          <div className="text-soft max-w-100 truncate text-sm" title={g.filter}>
            {g.filter_words}
          </div>
        )}
      </>
    ),
  },
  { key: 'key', label: t`Key`, value: (g) => g.key, show: (g) => <span className="font-mono text-sm">{g.key}</span> },
  {
    key: 'unit',
    label: t`Unit`,
    value: (g) => (g.built_in ? t`built in` : unitWords(g.unit)),
    show: (g) =>
      g.built_in ? (
        <span className="text-soft">
          <Trans>built in</Trans>
        </span>
      ) : (
        unitWords(g.unit)
      ),
    choose: true,
  },
  { key: 'owner', label: t`Owner`, value: (g) => g.owner?.label ?? '', choose: true },
  {
    key: 'members',
    label: t`Listed members`,
    value: (g) => (g.built_in ? 0 : g.member_count),
    show: (g) => (g.built_in ? '' : g.member_count),
    right: true,
  },
]

/** All groups, and the making of one. */
export function GroupList() {
  const { asOf, past } = useDay()
  const me = useMe()
  const sheet = useSheet()
  const roles = useRoleChoices()
  const groups = useQuery(ask('/api/v1/groups', { params: { query: { as_of: asOf } } }))
  if (groups.error) return <Trouble page error={groups.error} retry={() => void groups.refetch()} />
  if (!groups.data) return <Loading what={t`groups`} />
  return (
    <>
      <Title
        list="groups"
        query={{ as_of: asOf }}
        more={
          !past &&
          me.may['groups.create'] && (
            <AddPanel label={t`Make a group`}>{(done) => <NewGroup revision={groups.data.revision} done={done} />}</AddPanel>
          )
        }
      >
        <Trans>Groups</Trans>
      </Title>
      <p className="text-soft mt-1">
        <Trans>Members of a group hold the roles of the group.</Trans>
      </p>
      <ListTable
        what={t`group`}
        rows={groups.data.groups}
        columns={columns}
        id={(g) => g.id}
        empty={
          <Empty>
            <Trans>No groups.</Trans>
          </Empty>
        }
        acts={
          !past && me.may['roles.assign']
            ? (picked, clear) => (
                <PickAndPut
                  label={t`Grant a role`}
                  press={t`Grant`}
                  choices={roles}
                  put={(c) => {
                    sheet.add(
                      {
                        verb: t`Grant`,
                        what: t`${c.label} to ${plural(picked.length, { one: '# group', other: '# groups' })}`,
                        detail: picked.map((g) => g.label).join(', '),
                        operations: picked.map((g) => ({ op: 'grant', role: c.key, group: g.key })),
                      },
                      groups.data.revision,
                    )
                    clear()
                  }}
                />
              )
            : undefined
        }
      />
    </>
  )
}

function NewGroup({ revision, done }: { revision: number; done: () => void }) {
  const sheet = useSheet()
  const blank = { label: '', description: '', unit: '', filter: '', held_within: '' }
  const [x, setX] = useTyped('NewGroup x', blank)
  const key = keyOf(x.label)
  const field = (name: keyof typeof blank, label: string, hint?: string) => (
    <label>
      {label} {hint && <span className="text-soft text-sm">{hint}</span>}
      <input
        className={`field ${name === 'filter' ? 'font-mono text-sm' : ''}`}
        value={x[name]}
        onChange={(e) => setX({ ...x, [name]: e.target.value })}
      />
    </label>
  )
  return (
    <form
      aria-label={t`Make a group`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const given = Object.fromEntries(Object.entries(x).filter(([, v]) => v.trim() !== ''))
        sheet.add(
          {
            verb: t`Make`,
            what: t`the group ${x.label.trim()}`,
            detail: x.filter.trim() ? t`users who match ${x.filter.trim()}` : undefined,
            operations: [{ op: 'add_group', key, ...given }],
          },
          revision,
        )
        setX(blank)
        done()
      }}
    >
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        {field('label', t`Name of the group`)}
        {field('description', t`What it is for`)}
        {field('unit', t`Unit it belongs to`, t`such as marine/pilotage`)}
        {field('filter', t`Chosen by`, t`a filter over facts; none: listed members only`)}
        {field('held_within', t`Members only within the unit`, t`blank: anywhere`)}
      </div>
      <button type="submit" className="button mt-3" disabled={!key}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
