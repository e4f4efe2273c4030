import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, api, ProblemError } from '../api/client'
import { Faults } from '../shared/State'

const fields = [
  { name: 'organisation', label: t`Organisation`, auto: 'organization' },
  { name: 'user_name', label: t`Your user name`, auto: 'username' },
  { name: 'display_name', label: t`Your name`, auto: 'name' },
] as const

/** The first page of an empty installation: names the first administrator. */
export function SetUp() {
  const [values, setValues] = useState({ organisation: '', user_name: '', display_name: '', password: '' })
  const [zone, setZone] = useState(() => Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC')
  const set = (name: string, value: string) => setValues({ ...values, [name]: value })
  const link = decodeURIComponent(window.location.hash.slice(1))
  const setUp = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/set-up', { body: { ...values, link, time_zone: zone } })),
    onSuccess: () => window.location.assign('/users'),
  })
  return (
    <main className="mx-auto max-w-100 px-4 pt-[9vh]">
      <h1>
        <Trans>Set Able Roster up</Trans>
      </h1>
      <p className="mt-2">
        <Trans>You become its first access administrator: you may see and change everything, and can delegate administration later.</Trans>
      </p>
      <form
        className="mt-5 flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault()
          setUp.mutate()
        }}
      >
        {fields.map((f) => (
          <label key={f.name}>
            {f.label}
            <input
              className="field"
              name={f.name}
              autoComplete={f.auto}
              value={values[f.name]}
              onChange={(e) => set(f.name, e.target.value)}
            />
          </label>
        ))}
        <label>
          <Trans>Time zone, in which days begin</Trans>
          <input className="field" name="time_zone" value={zone} onChange={(e) => setZone(e.target.value)} />
        </label>
        <label>
          <Trans>Password, 12 characters or more</Trans>
          <input
            className="field"
            name="password"
            type="password"
            autoComplete="new-password"
            value={values.password}
            onChange={(e) => set('password', e.target.value)}
          />
        </label>
        {setUp.error instanceof ProblemError && (
          <div role="alert" className="border-brick border-l-3 pl-3">
            {setUp.error.problem.detail}
            <Faults problem={setUp.error.problem} />
          </div>
        )}
        <button type="submit" className="button self-start" disabled={setUp.isPending || Object.values(values).some((v) => !v)}>
          <Trans>Set it up</Trans>
        </button>
      </form>
    </main>
  )
}
