import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { frameTogether } from '../src/viewport/frameTogether'

describe('things that come together', () => {
  beforeEach(() => void vi.useFakeTimers())
  afterEach(() => void vi.useRealTimers())
  const [a, b] = [{}, {}]
  const begun = () => {
    const group = frameTogether()
    const shown: string[] = []
    group.begin(a)
    group.begin(b)
    const come = (one: object, name: string) => void group.end(one).then(() => shown.push(name))
    return { group, shown, come }
  }

  it('are shown once all have come', async () => {
    const { shown, come } = begun()
    come(a, 'a')
    await vi.advanceTimersByTimeAsync(100)
    expect(shown).toEqual([])
    come(b, 'b')
    await vi.advanceTimersByTimeAsync(0)
    expect(shown).toEqual(['a', 'b'])
  })
  it('do not wait long for one that does not come', async () => {
    const { shown, come } = begun()
    come(a, 'a')
    await vi.advanceTimersByTimeAsync(250)
    expect(shown).toEqual(['a'])
    come(b, 'b')
    await vi.advanceTimersByTimeAsync(0)
    expect(shown).toEqual(['a', 'b'])
  })
  it('do not wait for one that nobody wants any more', async () => {
    const { group, shown, come } = begun()
    come(a, 'a')
    group.off(b)
    await vi.advanceTimersByTimeAsync(0)
    expect(shown).toEqual(['a'])
  })
  it('that are alone are shown at once', async () => {
    const { group, shown, come } = begun()
    group.off(b)
    come(a, 'a')
    await vi.advanceTimersByTimeAsync(0)
    expect(shown).toEqual(['a'])
  })
})
