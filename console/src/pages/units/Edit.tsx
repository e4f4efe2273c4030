import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useState, type ReactNode } from 'react'
import type { Operation, Schemas } from '../../api/client'
import { PickBox, type Choice } from '../../shared/PickBox'
import { UserBox } from '../../shared/UserBox'
import { useSheet } from '../../shell/sheet'
import { unitChoice } from '../users/choices'
import { changed, ValueFields } from './Values'

type Unit = Schemas['Unit']

/** What can be done to a unit: name it and its head, move it, merge it, end it. */
export function EditUnit({
  unit,
  users,
  below,
  units,
  revision,
  done,
}: {
  unit: Unit
  /** How many people are in it, and below it. */
  users: number
  below: boolean
  units: Unit[]
  revision: number
  done: () => void
}) {
  const sheet = useSheet()
  const [label, setLabel] = useState(unit.label)
  const [head, setHead] = useState(unit.head?.key ?? '')
  const [values, setValues] = useState(unit.custom ?? {})
  const custom = changed(unit.custom, values)
  const [to, setTo] = useState(unit.path)
  const [into, setInto] = useState<Choice | null>(null)
  const add = (verb: string, what: string, operation: Operation, detail?: string) => {
    sheet.add({ verb, what, detail, operations: [operation] }, revision)
    done()
  }
  const named = label.trim() !== unit.label
  const led = head !== (unit.head?.key ?? '')
  const others = units.filter((u) => u.id && u.path !== unit.path && !u.path.startsWith(`${unit.path}/`))
  return (
    <>
      <Part
        label={t`Name, head and attributes`}
        act={t`Add to change sheet`}
        idle={!label.trim() || !(named || led || custom)}
        send={() =>
          add(
            t`Edit`,
            t`the unit ${unit.label}`,
            { op: 'update_unit', unit: unit.path, ...(named && { label: label.trim() }), ...(led && { head }), ...(custom && { custom }) },
            [
              named && t`named ${label.trim()}`,
              led && (head ? t`led by ${head}` : t`led by nobody of its own`),
              ...Object.entries(custom ?? {}).map(([k, v]) => `${k} ${v || 'cleared'}`),
            ]
              .filter(Boolean)
              .join(', '),
          )
        }
      >
        <label>
          <Trans>Name of the unit</Trans>
          <input className="field" value={label} onChange={(e) => setLabel(e.target.value)} />
        </label>
        <div>
          <Trans>
            Who leads it <span className="text-soft text-sm">blank: whoever leads the unit above</span>
            <UserBox label={t`Head of the unit`} value={head} onChange={setHead} />
          </Trans>
        </div>
        <ValueFields values={values} set={setValues} />
      </Part>
      <Part
        label={t`Move or rename it`}
        words={t`${plural(users, { one: '# person', other: '# people' })}, its groups and the units below move too. Rules, filters and rights that name it follow, so that nobody gains or loses by what names it.`}
        act={t`Add the move to change sheet`}
        idle={to.trim() === '' || to.trim() === unit.path}
        send={() => add(t`Move`, t`the unit ${unit.label}`, { op: 'move_unit', unit: unit.path, to: to.trim() }, t`to ${to.trim()}`)}
      >
        <label>
          <Trans>Its path from then on</Trans>
          <input className="field font-mono" value={to} onChange={(e) => setTo(e.target.value)} />
        </label>
      </Part>
      <Part
        label={t`Merge it into another`}
        words={t`Its people, its groups and the units below go there, and it ends. Rules that name it are edited first.`}
        act={t`Add the merger to change sheet`}
        idle={!into}
        send={() =>
          into && add(t`Merge`, t`the unit ${unit.label}`, { op: 'merge_unit', unit: unit.path, into: into.key }, t`into ${into.label}`)
        }
      >
        <PickBox label={t`Unit to merge it into`} choices={others.map(unitChoice)} value={into} onChange={setInto} />
      </Part>
      <Part
        label={t`End it`}
        words={
          users > 0 || below
            ? t`It can be ended once nobody is in it and no unit is below it.`
            : t`Nobody is in it. Its past stays, and another unit can be added at its path.`
        }
        act={t`Add the end to change sheet`}
        idle={users > 0 || below}
        send={() => add(t`End`, t`the unit ${unit.label}`, { op: 'end_unit', unit: unit.path })}
      />
    </>
  )
}

function Part({
  label,
  words,
  act,
  idle,
  send,
  children,
}: {
  label: string
  words?: string
  act: string
  idle: boolean
  send: () => void
  children?: ReactNode
}) {
  return (
    <form
      aria-label={label}
      className="border-rule mt-4 border-t pt-3 first:border-0"
      onSubmit={(e) => {
        e.preventDefault()
        send()
      }}
    >
      <h2 className="font-semibold">{label}</h2>
      {words && <p className="text-soft text-sm">{words}</p>}
      {children && <div className="mt-2 grid gap-x-5 gap-y-3 sm:grid-cols-2">{children}</div>}
      <button type="submit" className="button mt-3" disabled={idle}>
        {act}
      </button>
    </form>
  )
}
