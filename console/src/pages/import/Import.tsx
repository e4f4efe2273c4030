import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState } from 'react'
import { api, ProblemError } from '../../api/client'
import { Rails } from '../../shared/Rails'
import { Empty, Trouble } from '../../shared/State'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { Faults } from './Faults'
import { ended, Imports, Progress } from './Imports'
import { Mapping } from './Mapping'
import { Outcome } from './Outcome'
import { ask, asked } from '../../api/ask'

const kinds = {
  users: { label: t`Users`, says: t`one row a user: user_name and any of the attributes, roles and groups` },
  groups: { label: t`Groups`, says: t`one row a group: group (its key), label, description, unit, owner and filter` },
  memberships: { label: t`Memberships`, says: t`one row a membership: group, and user or member_group, from and until` },
  assignments: { label: t`Assignments`, says: t`one row an assignment: role, and user or group, from, until, scopes and schedule` },
} as const
type Kind = keyof typeof kinds

export type Chosen = { name: string; content: ArrayBuffer }

/** Brings a file in: what it would do first, then the doing, as one change. */
export function ImportPage() {
  const me = useMe()
  const { past } = useDay()
  const client = useQueryClient()
  const [kind, setKind] = useState<Kind>('users')
  const [file, setFile] = useState<Chosen>()
  const [mapping, setMapping] = useState('')
  const [making, setMaking] = useState(false)
  const [link, setLink] = useState(false)
  const [reason, setReason] = useState('')
  const [passed, setPassed] = useState<string[]>([])
  const [track, setTrack] = useState('')
  const run = useMutation({
    mutationFn: async (dry: boolean) => {
      const name = crypto.randomUUID()
      setTrack(name)
      const common = { file: file!.name, dry_run: dry || undefined, reason: dry ? undefined : reason, acknowledge: passed, track: name }
      const ldif = file!.name.toLowerCase().endsWith('.ldif')
      const init = { body: file!.content as never, bodySerializer: (b: unknown) => b as never, headers: { 'Content-Type': 'text/csv' } }
      if (kind === 'users')
        return ended(
          name,
          api.POST('/api/v1/imports/users', {
            params: { query: { ...common, format: ldif ? 'ldif' : 'csv', mapping: mapping || undefined, link: link || undefined } },
            ...init,
          }),
        )
      return ended(name, api.POST(`/api/v1/imports/${kind}`, { params: { query: common }, ...init }))
    },
    onSettled: () => client.invalidateQueries(asked('/api/v1/imports')),
    onSuccess: async (result) => {
      if (!result.dry_run) {
        setReason('')
        setPassed([])
        await client.invalidateQueries()
      }
    },
  })
  const mappings = useQuery(ask('/api/v1/mappings'))
  const problem = run.error instanceof ProblemError ? run.error.problem : undefined
  const result = run.data
  const rails = result?.preview?.rails ?? problem?.rails ?? []
  const blocked = rails.some((r) => !r.passable || !passed.includes(r.code))
  if (past)
    return (
      <>
        <h1>
          <Trans>Import</Trans>
        </h1>
        <Empty>
          <Trans>Files are imported into today: go back to today to import one.</Trans>
        </Empty>
      </>
    )
  return (
    <div className="max-w-200">
      <h1>
        <Trans>Import</Trans>
      </h1>
      <p className="text-soft mt-1">
        <Trans>
          A file is imported as one change, completely or not at all, and you see its effect first. Rows that match what is there change
          nothing. A blank cell leaves the value as it is. The lists can be{' '}
          <Link to="/users" className="press">
            exported
          </Link>{' '}
          too.
        </Trans>
      </p>
      <form
        aria-label={t`Import a file`}
        className="mt-4 grid sm:grid-cols-2 gap-x-5 gap-y-3"
        onSubmit={(e) => {
          e.preventDefault()
          run.mutate(true)
        }}
      >
        <label>
          <Trans>What it holds</Trans>
          <select
            className="field"
            value={kind}
            onChange={(e) => {
              setKind(e.target.value as Kind)
              run.reset()
            }}
          >
            {Object.entries(kinds).map(([k, x]) => (
              <option key={k} value={k}>
                {x.label}
              </option>
            ))}
          </select>
          <span className="text-soft text-sm">{kinds[kind].says}</span>
        </label>
        <label>
          <Trans>File </Trans>
          <span className="text-soft text-sm">
            <Trans>CSV</Trans>
            {kind === 'users' && t`, or LDIF by the ending .ldif`}
          </span>
          <input
            type="file"
            className="field"
            accept={kind === 'users' ? '.csv,.txt,.tsv,.ldif' : '.csv,.txt,.tsv'}
            onChange={(e) => {
              const f = e.target.files?.[0]
              run.reset()
              setPassed([])
              if (!f) setFile(undefined)
              else void f.arrayBuffer().then((content) => setFile({ name: f.name, content }))
            }}
          />
        </label>
        {kind === 'users' && (
          <label>
            <Trans>Columns</Trans>
            <select
              className="field"
              value={mapping}
              onChange={(e) => {
                setMapping(e.target.value)
                run.reset()
              }}
            >
              <option value="">
                <Trans>have our names, or those of a directory</Trans>
              </option>
              {(mappings.data?.mappings ?? []).map((m) => (
                <option key={`${m.owner.id}/${m.key}`} value={m.key}>
                  <Trans>by the mapping {m.label}</Trans>
                </option>
              ))}
            </select>
          </label>
        )}
        {kind === 'users' && (
          <div className="self-end">
            <button type="button" className="button-quiet" disabled={!file} aria-expanded={making} onClick={() => setMaking(!making)}>
              {mapping ? t`See or change the mapping` : t`Map the columns`}
            </button>
          </div>
        )}
        {kind === 'users' && (
          <label className="flex items-baseline gap-2 sm:col-span-2">
            <input
              type="checkbox"
              checked={link}
              onChange={(e) => {
                setLink(e.target.checked)
                run.reset()
              }}
            />
            <span>
              <Trans>
                Link rows to people who are there
                <span className="text-soft block text-sm">
                  A row that names nobody, and looks like exactly one user (by address, personnel number and the like, or name and first
                  day), is that user’s. Their user name stays.
                </span>
              </Trans>
            </span>
          </label>
        )}
        {making && file && kind === 'users' && (
          <div className="sm:col-span-2">
            <Mapping
              key={`${mapping} ${file.name}`}
              file={file}
              saved={mappings.data?.mappings.find((m) => m.key === mapping)}
              options={mappings.data}
              done={(key) => {
                setMaking(false)
                setMapping(key)
                run.reset()
                void client.invalidateQueries(asked('/api/v1/mappings'))
              }}
            />
          </div>
        )}
        <div className="sm:col-span-2">
          <button type="submit" className="button" disabled={!file || run.isPending || (kind === 'users' && !me.may['users.update'])}>
            <Trans>Preview</Trans>
          </button>
        </div>
      </form>
      {run.isPending && <Progress track={track} />}
      {problem && problem.faults && problem.faults.length > 0 ? (
        <Faults problem={problem} />
      ) : (
        run.error && rails.length === 0 && <Trouble error={run.error} />
      )}
      {result && <Outcome result={result} />}
      {(result?.dry_run || rails.length > 0) && !result?.unchanged && !(result && !result.dry_run) && (
        <form
          aria-label={t`Make the change`}
          className="mt-4 max-w-140"
          onSubmit={(e) => {
            e.preventDefault()
            run.mutate(false)
          }}
        >
          <Rails rails={rails} passed={passed} pass={setPassed} />
          <label className="mt-3 block">
            <Trans>Reason</Trans>
            <input className="field" placeholder={t`Recorded with the change`} value={reason} onChange={(e) => setReason(e.target.value)} />
          </label>
          <button type="submit" className="button mt-3" disabled={reason.trim() === '' || blocked || run.isPending}>
            <Trans>Import it</Trans>
          </button>
        </form>
      )}
      <Imports />
    </div>
  )
}
