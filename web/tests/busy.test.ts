// What the page does while the database is held by something else.
import { afterEach, beforeEach, expect, it, vi } from 'vitest'

import { patient } from '../src/api/client'
import { useNotices } from '../src/api/notices'

const busy = (subject: string) =>
  new Response(JSON.stringify({ message: 'Busy.', subject, hint: '' }), {
    status: 503,
    headers: { 'Retry-After': '2', 'Content-Type': 'application/json' },
  })
const good = () =>
  new Response(JSON.stringify({ team: false }), { headers: { 'Content-Type': 'application/json' } })

const asked = () => new Request('http://127.0.0.1/api/me')

beforeEach(() => {
  vi.useFakeTimers()
  useNotices.getState().clear()
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

it('says so, asks again, and takes back what it said', async () => {
  const fetch = vi
    .fn()
    .mockImplementationOnce(() => Promise.resolve(busy('the database')))
    .mockImplementationOnce(() => Promise.resolve(busy('the database')))
    .mockImplementation(() => Promise.resolve(good()))
  vi.stubGlobal('fetch', fetch)
  const answer = patient(asked())
  await vi.advanceTimersByTimeAsync(2500)
  expect(useNotices.getState().current).toContain('database is busy')
  await vi.advanceTimersByTimeAsync(2500)
  expect((await answer).status).toBe(200)
  expect(fetch).toHaveBeenCalledTimes(3)
  expect(useNotices.getState().current).toBeNull()
})

it('leaves what is only being made to whoever asked', async () => {
  const fetch = vi.fn(() => Promise.resolve(busy('a picture')))
  vi.stubGlobal('fetch', fetch)
  expect((await patient(asked())).status).toBe(503)
  expect(fetch).toHaveBeenCalledOnce()
})
