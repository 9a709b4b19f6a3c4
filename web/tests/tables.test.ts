// What the core decides comes from the generated tables: none of it is typed again in the interface.
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'
import { expect, it } from 'vitest'

import * as tables from '../src/api/tables'

const SRC = join(import.meta.dirname, '../src')
const GENERATED = /api\/(tables|schema)\.ts$/

const lists = (Object.entries(tables) as [string, unknown][]).flatMap(([name, table]) =>
  Array.isArray(table) && table.length > 2 && table.every((one) => typeof one !== 'object')
    ? [{ name, list: table.map(String) }]
    : [],
)
const defaults = [tables.PLAIN_SUN, tables.PLAIN_GROUND].flatMap((table) => Object.entries(table))

function sources(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) return sources(path)
    return /\.tsx?$/.test(path) && !GENERATED.test(path) ? [path] : []
  })
}

/** Lists and defaults of the tables that a text has typed again. */
export function typedAgain(text: string): string[] {
  const file = ts.createSourceFile('a.tsx', text, ts.ScriptTarget.Latest, true, ts.ScriptKind.TSX)
  const found: string[] = []
  const look = (node: ts.Node): void => {
    if (ts.isArrayLiteralExpression(node)) {
      const parts = node.elements.map((one) => (ts.isLiteralExpression(one) ? one.text : null))
      for (const { name, list } of lists) if (list.join() === parts.join()) found.push(name)
    }
    if (
      ts.isBinaryExpression(node) &&
      node.operatorToken.kind === ts.SyntaxKind.QuestionQuestionToken &&
      ts.isPropertyAccessExpression(node.left) &&
      ts.isNumericLiteral(node.right)
    ) {
      const { name, expression } = node.left
      if (/^(sun|ground)$/.test(expression.getText()))
        for (const [key, value] of defaults)
          if (key === name.text && String(value) === node.right.text) found.push(key)
    }
    ts.forEachChild(node, look)
  }
  look(file)
  return found
}

it('finds a list and a default that are typed again', () => {
  expect(typedAgain(`const a = [${tables.BAKE_SIZES.join()}]`)).toEqual(['BAKE_SIZES'])
  expect(typedAgain(`const a = sun.turn ?? ${tables.PLAIN_SUN.turn}`)).toEqual(['turn'])
  expect(typedAgain('const a = [256, 512]; const b = sun.turn ?? 0')).toEqual([])
  expect(lists.length).toBeGreaterThan(3)
})

it('finds none in the interface', () => {
  const found = sources(SRC).flatMap((path) =>
    typedAgain(readFileSync(path, 'utf8')).map((name) => `${path.slice(SRC.length + 1)}: ${name}`),
  )
  expect(found).toEqual([])
})
