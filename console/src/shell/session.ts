import { createContext, useContext } from 'react'
import type { Schemas } from '../api/client'

export type Session = Schemas['Me']

export const SessionContext = createContext<Session | null>(null)

export function useMe(): Session {
  const me = useContext(SessionContext)
  if (!me) throw new Error('nobody is signed in')
  return me
}
