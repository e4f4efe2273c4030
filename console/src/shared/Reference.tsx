import { useMe } from '../shell/session'

/** Where the work was asked for, as a link where it can be looked up. */
export function Reference({ to }: { to?: string }) {
  const { address } = useMe().references
  if (!to) return null
  if (!address) return <span className="inline-block max-w-full font-mono break-words">{to}</span>
  return (
    <a
      className="press inline-block max-w-full font-mono break-words"
      href={address.replace('{reference}', encodeURIComponent(to))}
      target="_blank"
      rel="noreferrer"
    >
      {to}
    </a>
  )
}
