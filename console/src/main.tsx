import { I18nProvider } from '@lingui/react'
import { i18n } from '#words'
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { RouterProvider } from '@tanstack/react-router'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { ProblemError } from './api/client'
import { router } from './router'
import { noteAway, whenBack } from './shell/away'
import './styles.css'

const unreached = (e: unknown) => e instanceof ProblemError && e.problem.status === 0
const onError = (e: unknown) => {
  if (unreached(e)) noteAway()
}

const queries = new QueryClient({
  queryCache: new QueryCache({ onError }),
  mutationCache: new MutationCache({ onError }),
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // Only what may pass by itself is asked again; a service that is away, once it is back.
      retry: (n, e) => n < 2 && e instanceof ProblemError && e.problem.status >= 500,
    },
  },
})

whenBack(() => void queries.invalidateQueries())

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <I18nProvider i18n={i18n}>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </I18nProvider>
  </StrictMode>,
)
