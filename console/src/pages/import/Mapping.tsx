import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useMutation } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { answer, api, type Schemas } from '../../api/client'
import { keyOf } from '../../shared/key'
import { Trouble } from '../../shared/State'
import { useMe } from '../../shell/session'
import type { Chosen } from './Import'

type Mapped = Schemas['Mapping']
type Source = Mapped['columns'][number]

const decoders: Record<string, string> = {
  'utf-8': 'utf-8',
  'windows-1252': 'windows-1252',
  'windows-1250': 'windows-1250',
  'iso-8859-1': 'iso-8859-1',
  'iso-8859-15': 'iso-8859-15',
}

/** The header of a file and its first rows, to choose headings by; the service reads
 * the file itself. */
function glance(file: Chosen, encoding: string, separator: string) {
  const bytes = new Uint8Array(file.content.slice(0, 65536))
  const wide = bytes[0] === 0xff && bytes[1] === 0xfe
  const text = new TextDecoder(wide ? 'utf-16le' : (decoders[encoding] ?? 'utf-8')).decode(bytes).replace(/^\ufeff/, '')
  const head = text.split(/\r?\n/, 1)[0] ?? ''
  const sign = separator || [',', ';', '\t', '|'].reduce((a, b) => (head.split(b).length > head.split(a).length ? b : a))
  const cells = (line: string) => line.split(sign).map((c) => c.trim().replace(/^"(.*)"$/, '$1'))
  const rows = text.split(/\r?\n/).slice(1, 4).map(cells)
  return {
    headings: cells(head).filter(Boolean),
    sample: (h: string) =>
      rows
        .map((r) => r[cells(head).indexOf(h)])
        .filter(Boolean)
        .slice(0, 2)
        .join(', '),
    broken: text.includes('\ufffd'),
  }
}

const usual = ['user_name', 'display_name', 'email', 'unit', 'title', 'manager', 'employment_type', 'location', 'start_date', 'end_date']

/** Says how the columns of a file become ours, and saves that. */
export function Mapping({
  file,
  saved,
  options,
  done,
}: {
  file: Chosen
  saved?: Schemas['SavedMapping']
  options?: Schemas['SavedMappingList']
  done: (key: string) => void
}) {
  const me = useMe()
  const [m, setM] = useState<Mapped>(() => (saved?.mapping as Mapped | undefined) ?? { columns: usual.map((column) => ({ column })) })
  const [label, setLabel] = useState(saved?.label ?? '')
  const [shared, setShared] = useState(saved?.shared ?? false)
  const seen = useMemo(() => glance(file, m.encoding ?? 'utf-8', m.separator ?? ''), [file, m.encoding, m.separator])
  const save = useMutation({
    mutationFn: () => {
      const columns = m.columns.filter((c) => (c.from ?? []).length > 0 || c.default)
      return answer(
        api.PUT('/api/v1/mappings/{mapping}', {
          params: { path: { mapping: saved?.mine ? saved.key : keyOf(label) } },
          body: { label: label.trim(), shared, mapping: { ...m, columns } },
        }),
      )
    },
    onSuccess: () => done(saved?.mine ? saved.key : keyOf(label)),
  })
  const change = (column: string, to: Partial<Source>) =>
    setM({ ...m, columns: m.columns.map((c) => (c.column === column ? { ...c, ...to } : c)) })
  const ours = options?.columns ?? usual
  const left = ours.filter((o) => !m.columns.some((c) => c.column === o))
  const keys = [
    'user_name',
    ...ours.filter(
      (o) =>
        m.columns.some((c) => c.column === o) && !usual.includes(o) && !['roles', 'groups', 'permissions', 'kind', 'status'].includes(o),
    ),
  ]
  return (
    <section aria-label={t`Mapping`} className="bg-wash rounded-md p-3">
      <div className="flex flex-wrap items-end gap-4">
        <label>
          <Trans>Encoding</Trans>
          <select className="field" value={m.encoding ?? 'utf-8'} onChange={(e) => setM({ ...m, encoding: e.target.value })}>
            {(options?.encodings ?? ['utf-8']).map((e) => (
              <option key={e}>{e}</option>
            ))}
          </select>
        </label>
        <label>
          <Trans>Between columns</Trans>
          <select className="field" value={m.separator ?? ''} onChange={(e) => setM({ ...m, separator: e.target.value || undefined })}>
            <option value="">
              <Trans>seen from the header</Trans>
            </option>
            <option value=",">
              <Trans>comma</Trans>
            </option>
            <option value=";">
              <Trans>semicolon</Trans>
            </option>
            <option value={'\t'}>
              <Trans>tab</Trans>
            </option>
            <option value="|">
              <Trans>bar</Trans>
            </option>
          </select>
        </label>
        <label>
          <Trans>Rows and users are matched by</Trans>
          <select className="field" value={m.key ?? 'user_name'} onChange={(e) => setM({ ...m, key: e.target.value })}>
            {keys.map((k) => (
              <option key={k}>{k}</option>
            ))}
          </select>
        </label>
        <label>
          <Trans>Managers are named by</Trans>
          <select
            className="field"
            value={m.manager_by ?? m.key ?? 'user_name'}
            onChange={(e) => setM({ ...m, manager_by: e.target.value })}
          >
            {keys.map((k) => (
              <option key={k}>{k}</option>
            ))}
          </select>
        </label>
      </div>
      {seen.broken && (
        <p className="text-brass mt-2">
          <Trans>Some characters cannot be read in that encoding. Try another.</Trans>
        </p>
      )}
      <table className="register mt-3">
        <thead>
          <tr>
            <th>
              <Trans>Ours</Trans>
            </th>
            <th>
              <Trans>Comes from</Trans>
            </th>
            <th>
              <Trans>In the file</Trans>
            </th>
            <th>
              <Trans>Read as</Trans>
            </th>
          </tr>
        </thead>
        <tbody>
          {m.columns.map((c) => (
            <tr key={c.column}>
              <td className="w-40 font-mono text-sm">{c.column}</td>
              <td className="w-56">
                {[...(c.from ?? []), ''].map((h, i) => (
                  <select
                    key={i}
                    className="field mb-1"
                    aria-label={t`${c.column} comes from${i > 0 ? `, ${i + 1}` : ''}`}
                    value={h}
                    onChange={(e) =>
                      change(c.column, {
                        from: [...(c.from ?? []).slice(0, i), ...(e.target.value ? [e.target.value] : []), ...(c.from ?? []).slice(i + 1)],
                      })
                    }
                  >
                    <option value="">{i === 0 ? t`nothing` : t`and nothing else`}</option>
                    {seen.headings.map((x) => (
                      <option key={x}>{x}</option>
                    ))}
                    {h && !seen.headings.includes(h) && (
                      <option value={h}>
                        <Trans>{h} (not in this file)</Trans>
                      </option>
                    )}
                  </select>
                ))}
              </td>
              <td className="text-soft text-sm">{(c.from ?? []).map(seen.sample).join(' · ')}</td>
              <td className="w-60">
                {options?.dates.includes(c.column) ? (
                  <input
                    className="field"
                    aria-label={t`Formats of ${c.column}`}
                    placeholder={t`YYYY-MM-DD, DD.MM.YYYY …`}
                    value={(c.dates ?? []).join(', ')}
                    onChange={(e) =>
                      change(c.column, { dates: e.target.value ? e.target.value.split(',').map((s) => s.trimStart()) : undefined })
                    }
                  />
                ) : (
                  <Meanings column={c} change={(x) => change(c.column, x)} />
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {left.length > 0 && (
        <label className="mt-2 block max-w-72">
          <span className="sr-only">
            <Trans>One more column</Trans>
          </span>
          <select
            className="field"
            value=""
            onChange={(e) => e.target.value && setM({ ...m, columns: [...m.columns, { column: e.target.value }] })}
          >
            <option value="">
              <Trans>one more column …</Trans>
            </option>
            {left.map((o) => (
              <option key={o}>{o}</option>
            ))}
          </select>
        </label>
      )}
      <div className="mt-3 grid sm:grid-cols-2 gap-4">
        <label>
          <Trans>Users not in the file</Trans>
          <select className="field" value={m.missing ?? 'leave'} onChange={(e) => setM({ ...m, missing: e.target.value as 'leave' })}>
            <option value="leave">
              <Trans>stay as they are</Trans>
            </option>
            <option value="suspend">
              <Trans>are suspended</Trans>
            </option>
            <option value="depart">
              <Trans>depart</Trans>
            </option>
          </select>
        </label>
        {m.missing && m.missing !== 'leave' && (
          <label>
            <Trans>
              The file is the complete list of <span className="text-soft text-sm">a filter</span>
            </Trans>
            <input
              className="field font-mono text-sm"
              placeholder={t`employment_type eq "staff"`}
              value={m.missing_of ?? ''}
              onChange={(e) => setM({ ...m, missing_of: e.target.value })}
            />
          </label>
        )}
      </div>
      <div className="mt-3 flex flex-wrap items-end gap-3">
        <label>
          <Trans>Name of the mapping</Trans>
          <input className="field" value={label} onChange={(e) => setLabel(e.target.value)} />
        </label>
        {me.may['settings.update'] && (
          <label className="flex gap-2 pb-1.5">
            <input type="checkbox" checked={shared} onChange={(e) => setShared(e.target.checked)} />
            <Trans> for everybody</Trans>
          </label>
        )}
        <button type="button" className="button" disabled={!keyOf(label) || save.isPending} onClick={() => save.mutate()}>
          <Trans>Save the mapping</Trans>
        </button>
      </div>
      {save.error && <Trouble error={save.error} />}
    </section>
  )
}

/** What texts in the file mean, a line each. */
function Meanings({ column: c, change }: { column: Source; change: (x: Partial<Source>) => void }) {
  const [text, setText] = useState(
    Object.entries(c.values ?? {})
      .map(([k, v]) => `${k} = ${v}`)
      .join('\n'),
  )
  const read = (s: string) => {
    setText(s)
    const pairs = s
      .split('\n')
      .map((l) => l.split('='))
      .filter((p) => p.length > 1 && p[0]!.trim() !== '')
      .map(([k, ...v]) => [k!.trim(), v.join('=').trim()])
    change({ values: pairs.length > 0 ? (Object.fromEntries(pairs) as Record<string, string>) : undefined })
  }
  return (
    <details open={text !== ''}>
      <summary className="press text-sm">{text ? t`By this table` : t`As it stands, or by a table`}</summary>
      <textarea
        className="field mt-1 h-20 font-mono text-sm"
        aria-label={t`What texts of ${c.column} mean`}
        placeholder={t`Krane = terminal/cranes`}
        value={text}
        onChange={(e) => read(e.target.value)}
      />
    </details>
  )
}
