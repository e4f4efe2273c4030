import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { ask } from '../../api/ask'
import { answer, api } from '../../api/client'
import { Loading, Trouble } from '../../shared/State'
import { moment } from '../../shared/words'

/** What a browser calls itself, in a few words. */
function deviceWords(agent: string): string {
  const browser = /(Firefox|Edg|Chrome|Safari)\//.exec(agent)?.[1]?.replace('Edg', 'Edge')
  const system = /(Windows|Mac OS X|Android|iPhone|iPad|Linux)/.exec(agent)?.[1]?.replace('Mac OS X', 'Mac')
  return [browser ?? (agent.split(/[ /]/)[0] || t`A browser`), system && t`on ${system}`].filter(Boolean).join(' ')
}

/** One's sessions and tokens, each of which can be ended. */
export function SignIns() {
  const queries = useQueryClient()
  const sessions = useQuery(ask('/api/v1/me/sessions'))
  const tokens = useQuery(ask('/api/v1/tokens'))
  const end = useMutation({
    mutationFn: (x: { session?: number; token?: number }) =>
      x.session !== undefined
        ? answer(api.DELETE('/api/v1/me/sessions/{id}', { params: { path: { id: x.session } } }))
        : answer(api.DELETE('/api/v1/tokens/{id}', { params: { path: { id: x.token! } } })),
    onSuccess: () => queries.invalidateQueries(),
  })
  const failed = sessions.error ?? tokens.error ?? end.error
  if (failed) return <Trouble error={failed} retry={() => void queries.invalidateQueries()} />
  if (!sessions.data || !tokens.data) return <Loading what={t`your sessions`} />
  return (
    <table className="register mt-5">
      <thead>
        <tr>
          <th>
            <Trans>Signed in by</Trans>
          </th>
          <th>
            <Trans>Since</Trans>
          </th>
          <th>
            <Trans>Last used</Trans>
          </th>
          <th>
            <Trans>Until</Trans>
          </th>
          <th>
            <span className="sr-only">
              <Trans>End it</Trans>
            </span>
          </th>
        </tr>
      </thead>
      <tbody>
        {sessions.data.sessions.map((s) => (
          <tr key={`s${s.id}`}>
            <td>
              {deviceWords(s.device)} <span className="text-soft font-mono text-sm">{s.address}</span>
              {s.here && (
                <strong>
                  <Trans> this session</Trans>
                </strong>
              )}
            </td>
            <td>{moment(s.opened_at)}</td>
            <td>{moment(s.used_at)}</td>
            <td>{moment(s.expires_at)}</td>
            <td className="text-right">
              {!s.here && (
                <button
                  type="button"
                  className="press text-sm"
                  aria-label={t`End the session of ${moment(s.opened_at)}`}
                  onClick={() => end.mutate({ session: s.id })}
                >
                  <Trans>End</Trans>
                </button>
              )}
            </td>
          </tr>
        ))}
        {tokens.data.tokens.map((token) => (
          <tr key={`t${token.id}`}>
            <td>
              <Trans>
                API token <span className="text-soft">{token.label}</span>
              </Trans>
            </td>
            <td>{moment(token.created_at)}</td>
            <td>{token.expires_at ? moment(token.expires_at) : t`without end`}</td>
            <td className="text-right">
              <button
                type="button"
                className="press text-sm"
                aria-label={t`End the token ${token.label}`}
                onClick={() => end.mutate({ token: token.id })}
              >
                <Trans>End</Trans>
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
