// What a page shows of its edits before they are answered, and the line that they stand in.
import { QueryClient } from '@tanstack/react-query'
import { beforeEach, describe, expect, it } from 'vitest'

import { ApiError } from '../src/api/client'
import { calledSoon, enqueue, shownWith, useQueue } from '../src/api/queue'
import { withEdits, chainOf, feedOf, renamedIn, settingOf } from '../src/api/optimistic'
import type { Document, Edit, Project } from '../src/api/types'
import { useNotices } from '../src/api/notices'
import { PLAIN } from '../src/materials/feed'

const document = {
  ektopos: 1,
  name: 'p',
  target: 'gltf-glb',
  materials: {
    tile: {
      inputs: { roughness: { ...PLAIN, map: 'orm', channels: 'g' } },
      uv: { tiling: [2, 3], offset: [0.25, 0.5], rotation: 0.3 },
      double_sided: true,
    },
    dull: { from: 'tile', inputs: {} },
  },
  meshes: { m: { file: 'm.glb', slots: { A: 'tile', B: null }, done: ['A'] } },
  maps: { orm: { file: 'orm.png', encoding: 'linear', roles: {}, by_hand: false } },
} as unknown as Document

describe('what is stated', () => {
  it('is inherited from the nearest base', () => {
    expect(chainOf(document, 'dull')).toHaveLength(2)
    expect(feedOf(document, 'dull', 'roughness')?.map).toBe('orm')
    expect(feedOf(document, 'dull', 'metallic')).toBeUndefined()
    expect(settingOf(document, 'dull', 'double_sided')).toBe(true)
  })
  it('does not run in a circle', () => {
    const round = { materials: { a: { from: 'b' }, b: { from: 'a' } } } as unknown as Document
    expect(chainOf(round, 'a')).toHaveLength(2)
  })
})

describe('an edit, shown at once', () => {
  const after = (...edits: Edit[]) => edits.reduce(withEdits, document)
  it('changes a part of a feed and makes an inherited one its own', () => {
    const changed = after({
      kind: 'change-feed',
      material: 'dull',
      input: 'roughness',
      change: { invert: true },
    })
    expect(changed.materials!.dull!.inputs!.roughness).toMatchObject({ map: 'orm', invert: true })
    expect(changed.materials!.tile!.inputs!.roughness).toMatchObject({ invert: false })
  })
  it('gives a feed back', () => {
    const changed = after({ kind: 'set-feed', material: 'tile', input: 'roughness', feed: null })
    expect(changed.materials!.tile!.inputs).toEqual({})
  })
  it('adds up parts of a transform, as the server does', () => {
    const changed = after(
      { kind: 'set-setting', material: 'dull', setting: 'uv.tiling.u', value: 5 },
      { kind: 'set-setting', material: 'dull', setting: 'uv.rotation', value: null },
    )
    expect(changed.materials!.dull!.uv).toEqual({
      set: 0,
      tiling: [5, 3],
      offset: [0.25, 0.5],
      rotation: 0,
    })
  })
  it('places one input apart, beginning where the material lies', () => {
    const place = { kind: 'place-feed', material: 'tile', input: 'roughness' } as const
    const changed = after(
      { ...place, part: 'uv.tiling.v', value: 7 },
      { ...place, part: 'wrap', value: ['clamp', 'repeat'] },
    )
    const feed = changed.materials!.tile!.inputs!.roughness!
    expect(feed.uv).toMatchObject({ tiling: [2, 7], offset: [0.25, 0.5] })
    expect(feed.wrap).toEqual(['clamp', 'repeat'])
    const back = after({ ...place, part: 'uv', value: null })
    expect(back.materials!.tile!.inputs!.roughness!.uv).toBeNull()
  })
  it('puts materials on slots and ticks them off', () => {
    const changed = after(
      { kind: 'assign', mesh: 'm', slots: ['B'], material: 'dull' },
      { kind: 'set-done', mesh: 'm', slot: 'A', done: false },
    )
    expect(changed.meshes!.m).toMatchObject({ slots: { A: 'tile', B: 'dull' }, done: [] })
  })
  it('says of a map what was said, and no more', () => {
    const put = after({ kind: 'set-map', maps: ['orm'], set: 'other' })
    expect(put.maps!.orm).toMatchObject({ set: 'other', by_hand: false })
    expect(after({ kind: 'set-map', maps: ['orm'] }).maps!.orm).toMatchObject({ by_hand: true })
  })
  it('leaves alone what is not there, and what it does not know', () => {
    expect(after({ kind: 'assign', mesh: 'gone', slots: ['A'], material: null })).toBe(document)
    expect(after({ kind: 'remove-mesh', mesh: 'm' })).toBe(document)
  })
  it('follows a rename that was made before it', () => {
    const rename: Edit = { kind: 'rename-material', material: 'tile', name: 'slab' }
    const edit: Edit = {
      kind: 'set-setting',
      material: 'tile',
      setting: 'filter',
      value: 'nearest',
    }
    expect(renamedIn(edit, rename)).toMatchObject({ material: 'slab' })
    expect(renamedIn({ ...edit, material: 'dull' }, rename)).toMatchObject({ material: 'dull' })
  })
})

describe('the line of edits', () => {
  const id = 'p'
  let queries: QueryClient
  beforeEach(() => {
    queries = new QueryClient()
    queries.setQueryData(['project', id], { id, revision: 1, document } as unknown as Project)
    useNotices.getState().clear()
  })
  const answer = (revision: number) => ({ id, revision, document }) as unknown as Project
  const rename = (material: string, name: string): Edit => ({
    kind: 'rename-material',
    material,
    name,
  })

  it('sends one after the other, each with the state that it was made on', async () => {
    const sent: [number, number][] = []
    const send = async (project: Project, task: { seen: number }) => {
      sent.push([project.revision, task.seen])
      await new Promise((next) => setTimeout(next, 5))
      return answer(project.revision + 1)
    }
    const all = [1, 2, 3].map(() => enqueue(queries, id, [], send))
    expect(useQueue.getState().waiting[id]).toHaveLength(3)
    await Promise.all(all)
    expect(sent).toEqual([
      [1, 1],
      [2, 1],
      [3, 1],
    ])
    expect(useQueue.getState().waiting[id]).toHaveLength(0)
    expect(queries.getQueryData<Project>(['project', id])?.revision).toBe(4)
  })
  it('goes on after one that is refused, and says why', async () => {
    const refused = enqueue(queries, id, [], () =>
      Promise.reject(new ApiError(409, 'changed meanwhile')),
    )
    const next = enqueue(queries, id, [], () => Promise.resolve(answer(9)))
    expect(await refused).toBeNull()
    expect((await next)?.revision).toBe(9)
    expect(String(useNotices.getState().current)).toContain('changed meanwhile')
  })
  it('names a material by what it will be called, and renames what waits behind', async () => {
    const sent: Edit[][] = []
    const send = (_: Project, task: { edits: Edit[] }) => {
      sent.push(task.edits)
      return Promise.resolve(answer(2))
    }
    const all = [
      enqueue(queries, id, [rename('tile', 'b')], send),
      enqueue(queries, id, [rename('tile', 'c')], send),
    ]
    const waiting = useQueue.getState().waiting[id]!
    expect(calledSoon('tile', waiting)).toBe('b')
    expect(shownWith(document, waiting)).toEqual(document)
    await Promise.all(all)
    expect(sent[1]).toEqual([rename('b', 'c')])
  })
})
