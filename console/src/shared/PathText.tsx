import { Fragment } from 'react'

/** A path or a pattern, that breaks after its slashes. */
export function PathText({ path }: { path: string }) {
  const parts = path.split('/')
  return (
    <span className="font-mono text-sm wrap-anywhere">
      {parts.map((part, i) => (
        <Fragment key={i}>
          {part}
          {i < parts.length - 1 && (
            <>
              /<wbr />
            </>
          )}
        </Fragment>
      ))}
    </span>
  )
}
