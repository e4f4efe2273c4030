import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Operation, Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { ListTable, type ListColumn } from '../../shared/ListTable'
import { keyOf } from '../../shared/key'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { ask } from '../../api/ask'
import { useTyped } from '../../shell/drafts'

const columns: ListColumn<Schemas['Application']>[] = [
  {
    key: 'name',
    label: t`Application`,
    value: (a) => a.label,
    show: (a) => (
      <Link to="/applications/$application" params={{ application: a.key }} className="press">
        {a.label}
      </Link>
    ),
  },
  { key: 'key', label: t`Key`, value: (a) => a.key, show: (a) => <span className="font-mono text-sm">{a.key}</span> },
  {
    key: 'state',
    label: t`State`,
    value: (a) => a.state,
    show: (a) => <span className={a.state === 'live' ? '' : 'text-brass'}>{a.state}</span>,
    choose: true,
  },
  {
    key: 'owner',
    label: t`Owner`,
    value: (a) => a.owner?.label ?? (a.key === 'able-roster' ? '' : t`nobody`),
    show: (a) =>
      a.owner?.label ??
      (a.key === 'able-roster' ? (
        ''
      ) : (
        <span className="text-brass">
          <Trans>nobody</Trans>
        </span>
      )),
    choose: true,
  },
  { key: 'about', label: t`What it is`, value: (a) => a.description ?? '', className: 'text-soft' },
]

/** All applications, and how to register one. */
export function ApplicationList() {
  const { asOf, past } = useDay()
  const me = useMe()
  const applications = useQuery(ask('/api/v1/applications', { params: { query: { as_of: asOf } } }))
  if (applications.error) return <Trouble page error={applications.error} retry={() => void applications.refetch()} />
  if (!applications.data) return <Loading what={t`applications`} />
  return (
    <>
      <Title
        list="applications"
        query={{ as_of: asOf }}
        more={
          !past &&
          me.may['applications.create'] && (
            <AddPanel label={t`Register an application`}>
              {(done) => <NewApplication revision={applications.data.revision} done={done} />}
            </AddPanel>
          )
        }
      >
        <Trans>Applications</Trans>
      </Title>
      <p className="text-soft mt-1">
        <Trans>
          {plural(applications.data.applications.length, { one: '# application', other: '# applications' })} ask here who may do what.
        </Trans>
      </p>
      <ListTable what={t`application`} rows={applications.data.applications} columns={columns} id={(a) => a.id} />
      {applications.data.applications.every((a) => a.key === 'able-roster') && (
        <Empty>
          <Trans>
            No application yet. An application asks here who may do what. Register the first one, then add its resources and roles.
          </Trans>
        </Empty>
      )}
    </>
  )
}

/** The words most applications can be described with. */
const usual = ['create', 'read', 'update', 'delete']

function NewApplication({ revision, done }: { revision: number; done: () => void }) {
  const sheet = useSheet()
  const empty = { label: '', description: '', actions: usual.join(', ') }
  const [x, setX] = useTyped('NewApplication x', empty)
  const key = keyOf(x.label)
  const actions = x.actions.split(/[\s,]+/).filter(Boolean)
  return (
    <form
      aria-label={t`Register an application`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'add_application',
          key,
          label: x.label.trim(),
          description: x.description.trim(),
          actions: actions.map((a) => ({ key: a, label: a.charAt(0).toUpperCase() + a.slice(1) })),
        }
        sheet.add(
          {
            verb: t`Register`,
            what: t`the application ${x.label.trim()}`,
            detail: t`${key}, a draft; ${actions.join(', ')}`,
            operations: [operation],
          },
          revision,
        )
        setX(empty)
        done()
      }}
    >
      <p className="text-soft">
        <Trans>It begins as a draft: nobody has access yet.</Trans>
      </p>
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        <label>
          <Trans>Name of the application</Trans>
          <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          <Trans>What it is, in plain words</Trans>
          <input className="field" maxLength={2000} value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
        </label>
        <label>
          <Trans>Actions</Trans>
          <input className="field" value={x.actions} onChange={(e) => setX({ ...x, actions: e.target.value })} />
        </label>
        <p className="text-soft self-end pb-1.5 text-sm">
          {key ? (
            <>
              <Trans>
                Its key is <span className="font-mono">{key}</span>, for ever.
              </Trans>
            </>
          ) : (
            t`Its key is made of the name.`
          )}
        </p>
      </div>
      <button type="submit" className="button mt-3" disabled={!key || actions.length === 0}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
