import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react'

type Asked = Record<string, string | number | boolean | undefined>

/** Saves a list as it is seen, whole, as a file. */
export function SaveAs({ list, query, columns }: { list: string; query?: Asked; columns?: string[] }) {
  const address = (format: string) => {
    const q = new URLSearchParams({ format })
    for (const [k, v] of Object.entries(query ?? {})) if (v !== undefined && v !== '') q.set(k, String(v))
    if (columns) q.set('columns', columns.join(','))
    return `/api/v1/files/${encodeURIComponent(list)}?${q}`
  }
  return (
    <Menu>
      <MenuButton className="button-quiet whitespace-nowrap">
        <Trans>Export</Trans>
      </MenuButton>
      <MenuItems modal={false} anchor={{ to: 'bottom end', gap: 4 }} className="border-rule bg-sheet z-30 rounded-md border py-1">
        {[
          ['csv', 'CSV'],
          ['xlsx', t`XLSX, for spreadsheets`],
        ].map(([format, label]) => (
          <MenuItem key={format}>
            <a className="data-focus:bg-open block px-3 py-1.5" href={address(format!)} download>
              {label}
            </a>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  )
}
