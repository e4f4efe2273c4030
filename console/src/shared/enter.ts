import type { KeyboardEvent } from 'react'

/** For around a box that offers choices: Tab leads on and picks nothing; only Enter and a
 * press do. */
export const tabLeadsOn = {
  onKeyDownCapture: (e: KeyboardEvent) => {
    if (e.key === 'Tab') e.stopPropagation()
  },
}
