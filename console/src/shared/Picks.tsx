import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { PickBox, type Choice } from './PickBox'

/** Several of many, picked one after the other. */
export function Picks({
  title,
  label,
  choices,
  picked,
  pick,
}: {
  title: string
  label: string
  choices: Choice[]
  picked: Choice[]
  pick: (c: Choice[]) => void
}) {
  return (
    <fieldset>
      <legend>{title}</legend>
      <PickBox
        label={label}
        choices={choices.filter((c) => !picked.some((p) => p.key === c.key))}
        value={null}
        onChange={(c) => c && pick([...picked, c])}
      />
      <ul className="mt-1">
        {picked.map((c) => (
          <li key={c.key} className="flex justify-between py-0.5">
            {c.label}
            <button
              type="button"
              className="press text-sm"
              aria-label={t`Remove ${c.label}`}
              onClick={() => pick(picked.filter((p) => p.key !== c.key))}
            >
              <Trans>Remove</Trans>
            </button>
          </li>
        ))}
      </ul>
    </fieldset>
  )
}
