import { Link } from '@tanstack/react-router'
import type { Schemas } from '../api/client'

/** A user by name, and the way to their page where one may read them. */
export function Named({ user: u }: { user: Schemas['Ref'] }) {
  if (!u.key) return <>{u.label}</>
  return (
    <Link to="/users/$user" params={{ user: u.key }} className="press inline-block py-0.5">
      {u.label}
    </Link>
  )
}
