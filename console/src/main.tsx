import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { RouterProvider } from '@tanstack/react-router'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { ProblemError } from './api/client'
import { router } from './router'
import './styles.css'

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // Only what may pass by itself is asked again.
      retry: (n, e) => n < 2 && e instanceof ProblemError && (e.problem.status === 0 || e.problem.status >= 500),
    },
  },
})

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
)
