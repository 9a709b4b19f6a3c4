// The rooms of the interface know each other one way.
import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join, normalize } from 'node:path'

import { expect, it } from 'vitest'

const SOURCE = join(import.meta.dirname, '../src')
const files = readdirSync(SOURCE, { recursive: true, encoding: 'utf8' }).filter((file) =>
  /\.tsx?$/.test(file),
)

/** What a file imports of the interface's own, types too: a circle of types is a circle for a reader. */
function imported(file: string): string[] {
  const text = readFileSync(join(SOURCE, file), 'utf8')
  return [...text.matchAll(/(?:from|import) '(\.[^']+)'/g)]
    .map(([, path]) => normalize(join(dirname(file), path!)))
    .flatMap((path) => files.filter((other) => other.replace(/\.tsx?$/, '') === path))
}

const knows = new Map(files.map((file) => [file, imported(file)]))

/** The first circle that is found from a file on, as a list of files. */
function circle(file: string, way: string[], done: Set<string>): string[] | null {
  if (way.includes(file)) return [...way.slice(way.indexOf(file)), file]
  if (done.has(file)) return null
  for (const other of knows.get(file)!) {
    const found = circle(other, [...way, file], done)
    if (found) return found
  }
  done.add(file)
  return null
}

it('has no files that import each other in a circle', () => {
  const done = new Set<string>()
  expect(files.map((file) => circle(file, [], done)).filter((found) => found !== null)).toEqual([])
})

it('lets neither the server’s answers nor shared components know a screen', () => {
  const wrong = files
    .filter((file) => /^(api|components)\//.test(file))
    .flatMap((file) => knows.get(file)!.map((other) => `${file} → ${other}`))
    .filter((pair) => !/→ (api|components|theme|words)/.test(pair))
  expect(wrong).toEqual([])
})
