import { Tab, TabGroup, TabList, TabPanel, TabPanels } from '@headlessui/react'
import type { ReactNode } from 'react'

/** Tabs with what each holds; the chosen one is in the address. */
export function Tabs({
  tabs,
  chosen,
  choose,
}: {
  tabs: { key: string; label: string; count?: number; body: ReactNode }[]
  chosen?: string
  choose: (key: string) => void
}) {
  const at = Math.max(
    0,
    tabs.findIndex((t) => t.key === chosen),
  )
  return (
    <TabGroup selectedIndex={at} onChange={(i) => choose(tabs[i]!.key)}>
      <TabList className="border-rule mt-5 flex flex-wrap gap-x-6 border-b">
        {tabs.map((t) => (
          <Tab
            key={t.key}
            data-bold={`${t.label} ${t.count ?? ''}`}
            // The bold copy below keeps the width when a tab is chosen.
            className="text-soft after:invisible after:block after:h-0 after:overflow-hidden after:font-semibold after:content-[attr(data-bold)/''] data-selected:border-ink data-selected:text-ink -mb-px border-b-2 border-transparent px-0.5 pb-1.5 data-selected:font-semibold"
          >
            {t.label} {t.count !== undefined && <span className="text-soft font-normal">{t.count}</span>}
          </Tab>
        ))}
      </TabList>
      <TabPanels>
        {tabs.map((t) => (
          <TabPanel key={t.key} tabIndex={-1} className="pt-2">
            {t.body}
          </TabPanel>
        ))}
      </TabPanels>
    </TabGroup>
  )
}
