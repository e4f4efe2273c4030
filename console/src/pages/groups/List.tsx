import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { keyOf } from '../../shared/key'
import { Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { count, unitWords } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { ask } from '../../api/ask'
import { useTyped } from '../../shell/drafts'

/** All groups, and the making of one. */
export function GroupList() {
  const { asOf, past } = useDay()
  const me = useMe()
  const groups = useQuery(ask('/api/v1/groups', { params: { query: { as_of: asOf } } }))
  if (groups.error) return <Trouble page error={groups.error} retry={() => void groups.refetch()} />
  if (!groups.data) return <Loading what="groups" />
  return (
    <>
      <Title list="groups" query={{ as_of: asOf }}>
        Groups
      </Title>
      <p className="text-soft mt-1">{count(groups.data.groups.length, 'group')}. Members of a group hold the roles of the group.</p>
      <table className="register mt-3">
        <thead>
          <tr>
            <th>Group</th>
            <th>Key</th>
            <th>Unit</th>
            <th>Owner</th>
            <th className="text-right!">Listed members</th>
          </tr>
        </thead>
        <tbody>
          {groups.data.groups.map((g) => (
            <tr key={g.id}>
              <td>
                <Link to="/groups/$group" params={{ group: g.key }} className="press">
                  {g.label}
                </Link>
                {g.filter && (
                  <div className="text-soft max-w-100 truncate text-sm" title={g.filter}>
                    {g.filter_words}
                  </div>
                )}
              </td>
              <td className="font-mono text-sm">{g.key}</td>
              <td>{g.built_in ? <span className="text-soft">built in</span> : unitWords(g.unit)}</td>
              <td>{g.owner?.label}</td>
              <td className="text-right">{g.built_in ? '' : g.member_count}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {!past && me.may['groups.create'] && <NewGroup revision={groups.data.revision} />}
    </>
  )
}

function NewGroup({ revision }: { revision: number }) {
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
      aria-label="Make a group"
      className="mt-7 max-w-180"
      onSubmit={(e) => {
        e.preventDefault()
        const given = Object.fromEntries(Object.entries(x).filter(([, v]) => v.trim() !== ''))
        sheet.add(
          {
            verb: 'Make',
            what: `the group ${x.label.trim()}`,
            detail: x.filter.trim() ? `users who match ${x.filter.trim()}` : undefined,
            operations: [{ op: 'add_group', key, ...given }],
          },
          revision,
        )
        setX(blank)
      }}
    >
      <h2>Make a group</h2>
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        {field('label', 'Name of the group')}
        {field('description', 'What it is for')}
        {field('unit', 'Unit it belongs to', 'such as marine/pilotage')}
        {field('filter', 'Chosen by', 'a filter over facts; none: listed members only')}
        {field('held_within', 'Members only within the unit', 'blank: anywhere')}
      </div>
      <button type="submit" className="button mt-3" disabled={!key}>
        Add to change sheet
      </button>
    </form>
  )
}
