import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { Link } from '@tanstack/react-router'
import { useRef, useState, type KeyboardEvent } from 'react'
import type { Schemas } from '../../api/client'
import { Mark } from '../../shared/Mark'
import { Path } from '../../shared/Path'
import { lastDay, list, shortDay } from '../../shared/words'
import { useDraft } from '../../shell/drafts'
import { Save, type Said } from './Save'

type Line = Schemas['ReviewItem']

const keyOf = (l: Line) => `${l.user.id ?? l.user.label} ${l.assignment}`

/** What is decided on with a line: each with whom it is shared, where it is. */
const keysOf = (l: Line) => {
  const mine = l.shared?.with.filter((x) => x.mine).map((x) => `${x.user.id ?? x.user.label} ${x.assignment}`) ?? []
  return mine.length > 0 ? mine : [keyOf(l)]
}

/** The lines, with what is said of each before it is saved: a draft, which is kept in this
 * browser for the round and whoever reviews, whatever is shown. K keeps, R revokes,
 * U takes back, the arrows move, Enter shows the path. */
export function Items({ round, lines, decides, total }: { round: string; lines: Line[]; decides: boolean; total: number }) {
  const [said, setSaid] = useDraft<Said>(`review ${round}`, {}, 'browser')
  const [thrown, setThrown] = useState<Said>()
  const [at, setAt] = useState(0)
  const [open, setOpen] = useState<number>()
  const table = useRef<HTMLTableSectionElement>(null)
  const mine = decides && lines.some((l) => l.mine)
  const undecided = lines.filter((l) => l.mine && !l.gone && !l.decision && !said[keysOf(l)[0]!])
  const say = (all: Line[], decision?: 'keep' | 'revoke') =>
    setSaid((was) => {
      const next = { ...was }
      for (const l of all.filter((x) => x.mine)) {
        for (const k of keysOf(l))
          if (decision) next[k] = decision
          else delete next[k]
      }
      return next
    })
  const go = (row: number) => {
    const to = Math.max(0, Math.min(lines.length - 1, row))
    setAt(to)
    table.current?.querySelectorAll<HTMLElement>('[data-line]')[to]?.focus()
  }
  const press = (e: KeyboardEvent, row: number) => {
    const line = lines[row]!
    const does: Record<string, () => void> = {
      ArrowDown: () => go(row + 1),
      ArrowUp: () => go(row - 1),
      Enter: () => setOpen(open === row ? undefined : row),
      k: () => (say([line], 'keep'), go(row + 1)),
      r: () => (say([line], 'revoke'), go(row + 1)),
      u: () => say([line]),
    }
    if (e.target !== e.currentTarget || !does[e.key] || e.ctrlKey || e.metaKey || (!decides && e.key.length === 1)) return
    e.preventDefault()
    does[e.key]!()
  }
  return (
    <>
      <p className="text-soft mt-2 text-sm">
        {plural(total, { one: '# item', other: '# items' })}.{mine && t` Keys: arrows move, K keeps, R revokes, U undoes, Enter shows why.`}{' '}
        {undecided.length > 0 && (
          <button type="button" className="press" onClick={() => say(undecided, 'keep')}>
            <Trans>Keep the {plural(undecided.length, { one: '# undecided item', other: '# undecided items' })} shown</Trans>
          </button>
        )}
      </p>
      <table className="register mt-2">
        <thead>
          <tr>
            <th>
              <Trans>User</Trans>
            </th>
            <th>
              <Trans>Role</Trans>
            </th>
            <th>
              <Trans>Held since</Trans>
            </th>
            <th>
              <Trans>Of the unit</Trans>
            </th>
            <th>
              <Trans>Decision</Trans>
            </th>
          </tr>
        </thead>
        <tbody ref={table}>
          {lines.map((l, i) => (
            <Row
              key={keyOf(l)}
              line={l}
              said={said[keysOf(l)[0]!]}
              focus={i === at}
              open={open === i}
              press={(e) => press(e, i)}
              show={() => setOpen(open === i ? undefined : i)}
              say={(v) => say([l], v)}
            />
          ))}
        </tbody>
      </table>
      {thrown && Object.keys(said).length === 0 && (
        <p role="status" className="mt-3">
          <Trans>{plural(Object.keys(thrown).length, { one: '# decision', other: '# decisions' })} discarded.</Trans>{' '}
          <button
            type="button"
            className="press"
            onClick={() => {
              setSaid(thrown)
              setThrown(undefined)
            }}
          >
            <Trans>Bring back</Trans>
          </button>
        </p>
      )}
      {decides && (
        <Save
          round={round}
          said={said}
          hidden={Object.keys(said).filter((k) => !lines.some((l) => keysOf(l).includes(k))).length}
          done={() => setSaid({})}
          throwAway={() => {
            setThrown(said)
            setSaid({})
          }}
        />
      )}
    </>
  )
}

function Row({
  line: l,
  said,
  focus,
  open,
  press,
  show,
  say,
}: {
  line: Line
  said?: 'keep' | 'revoke'
  focus: boolean
  open: boolean
  press: (e: KeyboardEvent) => void
  show: () => void
  say: (v?: 'keep' | 'revoke') => void
}) {
  const decision = said ?? l.decision
  return (
    <>
      <tr data-line tabIndex={focus ? 0 : -1} onKeyDown={press} className={said ? 'bg-wash' : ''}>
        <td>
          {l.shared ? (
            <>
              {list(l.shared.with.slice(0, 3).map((x) => x.user.label))}
              {l.shared.with.length > 3 && t` and ${l.shared.with.length - 3} more`}
              <div className="text-soft text-sm">
                <Trans>
                  {l.shared.resource ?? l.shared.path} is shared with {l.shared.with.length === 1 ? t`this user` : t`these users`}
                </Trans>
              </div>
            </>
          ) : (
            <>
              {l.user.key ? (
                <Link to="/users/$user" params={{ user: l.user.key }} tabIndex={-1} className="press">
                  {l.user.label}
                </Link>
              ) : (
                l.user.label
              )}
              <div className="text-soft text-sm">{l.title || l.unit}</div>
            </>
          )}
        </td>
        <td>
          <button type="button" className="press text-left" aria-expanded={open} onClick={show}>
            {l.role.label}
          </button>
          <div className="text-soft text-sm">
            {l.application?.label} {l.through === 'group' ? t`through a group` : l.through === 'default' ? t`by default` : ''}
          </div>
          {l.sod_rules?.map((c) => (
            <div key={c} className="text-brick text-sm">
              <Trans>
                <Mark name="warns" /> breaks {c}
              </Trans>
            </div>
          ))}
        </td>
        <td className="text-soft text-sm">
          {l.since && (
            <>
              {shortDay(l.since.at)}
              {l.since.by && `, ${l.since.by.label}`}: {l.since.reason}
            </>
          )}
          {l.until && (
            <div className="text-brass">
              <Trans>until {lastDay(l.until)}</Trans>
            </div>
          )}
        </td>
        <td className="text-sm">{!l.shared && t`${l.peers} of ${l.unitmates}`}</td>
        <td>
          {l.gone ? (
            <span className="text-soft">
              <Trans>ended since</Trans>
            </span>
          ) : (
            decision && (
              <span className={decision === 'keep' ? 'text-kelp font-semibold' : 'text-brick font-semibold'}>
                {decision === 'keep' ? t`keep` : t`revoke`}
              </span>
            )
          )}
          {l.decided && !said && (
            <div className="text-soft text-sm">
              {l.decided.by?.label}
              {l.for && t` in the place of ${l.for.label}`}: {l.decided.reason}
            </div>
          )}
          {l.mine && (
            <div className="flex gap-3 text-sm print:hidden">
              <button type="button" className="press" aria-label={t`Keep ${l.role.label} of ${l.user.label}`} onClick={() => say('keep')}>
                <Trans>Keep</Trans>
              </button>
              <button
                type="button"
                className="press"
                aria-label={t`Revoke ${l.role.label} of ${l.user.label}`}
                onClick={() => say('revoke')}
              >
                <Trans>Revoke</Trans>
              </button>
              {said && (
                <button
                  type="button"
                  className="press"
                  aria-label={t`Undo the decision on ${l.role.label} of ${l.user.label}`}
                  onClick={() => say()}
                >
                  <Trans>Undo</Trans>
                </button>
              )}
            </div>
          )}
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={5}>
            {l.shared && (
              <p>
                <Trans>
                  {l.role.label} within {l.shared.path}: {list(l.shared.with.map((x) => x.user.label + (x.gone ? t` (ended since)` : '')))}.
                </Trans>
              </p>
            )}
            <Path path={l.path} />
          </td>
        </tr>
      )}
    </>
  )
}
