import { queryOptions } from '@tanstack/react-query'
import type { ClientPathsWithMethod, MaybeOptionalInit } from 'openapi-fetch'
import { answer, api, type Operation, type Schemas } from './client'
import type { paths } from './schema'

type Asked = ClientPathsWithMethod<typeof api, 'get'>
type Init<P extends Asked> = MaybeOptionalInit<paths[P], 'get'>

/** What one asks of the service, as a query. Its key is the path and all that was asked, so
 * that the same question is asked once; `asked(path)` is the key of all about one path. */
export function ask<P extends Asked>(path: P, ...init: Init<P> extends infer I ? [I?] : never) {
  return { queryKey: [path, init[0]] as const, queryFn: () => answer(api.GET(path, ...(init as never))) }
}

/** The same of a list that comes in pages; a page is asked for by the cursor before it. */
export function askPages<P extends Asked>(path: P, init: (cursor?: string) => Init<P>) {
  return {
    queryKey: [path, 'pages', init()] as const,
    queryFn: ({ pageParam }: { pageParam: string }) => answer(api.GET(path, ...([init(pageParam || undefined)] as never))),
    initialPageParam: '',
    getNextPageParam: (last: { next?: string }) => last.next || undefined,
  }
}

/** The key of all that was asked of a path. */
export const asked = (path: Asked) => ({ queryKey: [path] })

/** What a check answers, with its explanation. */
export const check = (question: Schemas['CheckRequest'], asOf?: string) =>
  queryOptions({
    queryKey: ['/api/v1/check', question, asOf],
    queryFn: () => answer(api.POST('/api/v1/check', { params: { query: { as_of: asOf } }, body: question })),
  })

/** What operations would do. */
export const wouldDo = (operations: Operation[]) =>
  queryOptions({
    queryKey: ['/api/v1/changes', operations],
    queryFn: () => answer(api.POST('/api/v1/changes', { params: { query: { dry_run: true } }, body: { operations } })),
    retry: false,
  })

/** What would be so after a change. */
export const whatIf = (question: Schemas['WhatIfRequest']) =>
  queryOptions({
    queryKey: ['/api/v1/what-if', question],
    queryFn: () => answer(api.POST('/api/v1/what-if', { body: question })),
    retry: false,
  })
