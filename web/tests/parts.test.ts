import { QueryClient, QueryObserver } from '@tanstack/react-query'
import { expect, test } from 'vitest'

import { loadChanged } from '../src/api/jobs'
import { doubtOthers } from '../src/api/queries'

test('what was asked at another revision is asked again, and an answer on its way is not kept', async () => {
  const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 10_000 } } })
  const key = (revision: number, project = 'p') => ['project-part', project, 'checks', revision]
  for (const at of [key(1), key(2), key(1, 'other')]) queries.setQueryData(at, ['as it was'])
  let answer: (found: string[]) => void = () => {}
  const asked = queries.fetchQuery({
    queryKey: key(1),
    queryFn: () => new Promise<string[]>((given) => (answer = given)),
    staleTime: 0,
  })
  asked.catch(() => {})
  await doubtOthers(queries, 'p', 2)
  answer(['of a later revision'])
  await new Promise((next) => setTimeout(next))
  expect(queries.getQueryData(key(1))).toEqual(['as it was'])
  const stale = (at: unknown[]) => queries.getQueryCache().find({ queryKey: at })?.isStale()
  expect([stale(key(1)), stale(key(2)), stale(key(1, 'other'))]).toEqual([true, false, false])
})

test.each([
  { after: 1, asked: ['project', 'checks'] },
  { after: 2, asked: ['project'] },
])(
  'parts are asked for once a job has ended, unless the revision is another: $after',
  async ({ after, asked }) => {
    const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 10_000 } } })
    queries.setQueryData(['project', 'p'], { revision: 1 })
    queries.setQueryData(['project-part', 'p', 'checks', 1], [])
    const seen: string[] = []
    const shown = [
      new QueryObserver(queries, {
        queryKey: ['project', 'p'],
        queryFn: () => (seen.push('project'), { revision: after }),
      }),
      new QueryObserver(queries, {
        queryKey: ['project-part', 'p', 'checks', 1],
        queryFn: () => (seen.push('checks'), []),
      }),
    ].map((observer) => observer.subscribe(() => {}))
    await loadChanged(queries, 'p')
    expect(seen).toEqual(asked)
    for (const leave of shown) leave()
  },
)
