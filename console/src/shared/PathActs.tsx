import { t } from '@lingui/core/macro'
import type { Operation, Schemas } from '../api/client'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'

type Act = { label: string; verb: string; what: string; operation: Operation }

/** What can be taken away of a path: each of its memberships and its assignment. */
function actsOf(path: Schemas['Path'], may: Record<string, boolean>): Act[] {
  const out: Act[] = []
  path.steps.forEach((s, i) => {
    const before = path.steps[i - 1]
    if (!before || s.outside || before.outside || s.default) return
    if (s.kind === 'group' && s.given && s.key && before.key && may['groups.update'])
      out.push({
        label: t`Remove ${before.label} from ${s.label}`,
        verb: t`Remove`,
        what: t`${before.label} from ${s.label}`,
        operation: { op: 'remove_member', group: s.key, ...(before.kind === 'user' ? { user: before.key } : { member_group: before.key }) },
      })
    if (s.kind === 'role' && s.assignment && may['roles.assign'])
      out.push({
        label: t`Revoke ${s.label} of ${before.label}`,
        verb: t`Revoke`,
        what: t`${s.label} of ${before.label}`,
        operation: { op: 'revoke', assignment: s.assignment },
      })
  })
  return out
}

/** Acts on a path where it stands. */
export function PathActs({ path }: { path: Schemas['Path'] }) {
  const me = useMe()
  const sheet = useSheet()
  const { past } = useDay()
  const acts = past ? [] : actsOf(path, me.may)
  if (acts.length === 0) return null
  return (
    <p className="mt-1 flex flex-wrap gap-x-4 text-sm leading-7 print:hidden">
      {acts.map((a) => (
        <button
          key={a.label}
          type="button"
          className="press min-h-6"
          onClick={() => sheet.add({ verb: a.verb, what: a.what, operations: [a.operation] }, me.revision)}
        >
          {a.label}
        </button>
      ))}
    </p>
  )
}
