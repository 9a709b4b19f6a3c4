// Slots named after what they wear; the encoding that follows the roles; findings in groups.
import { expect, it } from 'vitest'

import type { Finding } from '../src/api/types'
import { about, allEdits, grouped, place } from '../src/checks/groups'
import { encodingOf } from '../src/maps/correction'
import { afterMaterials } from '../src/meshes/afterMaterials'

const mesh = (assigned: Record<string, string | null>) => ({
  assigned,
  slots: Object.keys(assigned).map((name) => ({ name })) as never,
})

it('calls each slot as its material, and those that share one by numbers', () => {
  expect(afterMaterials(mesh({ lambert5: 'brass', b: 'brass', c: null, glass: 'glass' }))).toEqual([
    { kind: 'rename-slot', slot: 'lambert5', name: 'brass' },
    { kind: 'rename-slot', slot: 'b', name: 'brass_2' },
  ])
})

it('renames nothing again', () => {
  expect(afterMaterials(mesh({ brass: 'brass', brass_2: 'brass' }))).toEqual([])
})

it('leaves the name of a slot to the one that has it', () => {
  expect(afterMaterials(mesh({ a: 'b', b: null }))).toEqual([
    { kind: 'rename-slot', slot: 'a', name: 'b_2' },
  ])
})

it('reads one colour as sRGB, and packed, data and float maps as linear', () => {
  expect(encodingOf({ rgb: 'base_color', a: 'opacity' }, false)).toBe('srgb')
  expect(encodingOf({ r: 'gloss', g: 'occlusion', b: 'subsurface' }, false)).toBe('linear')
  expect(encodingOf({ rgb: 'normal' }, false)).toBe('linear')
  expect(encodingOf({ rgb: 'emission' }, true)).toBe('linear')
})

const finding = (code: string, subject: string, more: Partial<Finding> = {}): Finding => ({
  code,
  subject,
  severity: 'warning',
  message: '',
  why: '',
  evidence: '',
  fix: '',
  title: '',
  family: 'maps' as never,
  numbers: [],
  ...more,
})

it('groups findings of a code, and puts waived ones last', () => {
  const waived = finding('b', 'map y', { severity: 'error', waived: 'meant' })
  const groups = grouped([waived, finding('a', 'map x'), finding('a', 'map y')])
  expect(groups.map((group) => group.findings.length)).toEqual([2, 1])
  expect(groups[1]!.findings[0]).toBe(waived)
})

it('does the same edit once for all of a kind', () => {
  const edit = { kind: 'set-setting', material: 'm', setting: 'size_limit', value: 512 }
  const remedy = { label: 'limit', does: '', edits: [edit] } as never
  expect(allEdits([finding('a', 'x', { remedy }), finding('a', 'y', { remedy })])).toEqual([edit])
})

it('knows what a subject is about, and the way there', () => {
  expect(about('mesh big crate · Lid 2')).toEqual({
    kind: 'mesh',
    name: 'big crate',
    part: 'Lid 2',
  })
  expect(about('project').kind).toBe('project')
  expect(place(finding('uvs-overlap', 'mesh a · b'))).toBe('meshes/a?slot=b&fault=uvs-overlap')
})
