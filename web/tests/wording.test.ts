// What people read stands in `src/words` and in the generated tables, not in components: so that wording can be changed in one place.
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'
import { expect, it } from 'vitest'

const SRC = join(import.meta.dirname, '../src')
/** Attributes that people read, or hear. */
const READ = /^(aria-label|aria-description|title|label|placeholder|alt|helperText|heading|hint)$/
const LETTERS = /\p{L}{2}/u
/** Three words in a row are a sentence; CSS, keys and addresses are told by what stands between. */
const SENTENCE = /\p{L}{2,},? \p{L}+,? \p{L}{2,}/u
/** Where a text is no sentence: it is looked up, or a program of the graphics card. */
const NOT_READ = /^(className|style|sx|vertexShader|fragmentShader)$/

/** What takes texts that nobody reads: keys of what is remembered, styles, parts of other texts. */
const UNREAD_CALL = /^(use(All)?Remembered|styled)|\.(replace|replaceAll|includes)$/

function components(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) return entry.name === 'words' ? [] : components(path)
    return /\.tsx?$/.test(path) && !/(api\/(schema|tables)|theme)\.ts$/.test(path) ? [path] : []
  })
}

const isUnread = (node: ts.Node): boolean => {
  for (let above: ts.Node | undefined = node.parent; above; above = above.parent) {
    if (ts.isJsxAttribute(above) || ts.isPropertyAssignment(above))
      if (NOT_READ.test(above.name.getText())) return true
    if (ts.isCallExpression(above) && UNREAD_CALL.test(above.expression.getText())) return true
    // An error of the program itself; what a person is told is an ApiError or a label.
    if (ts.isNewExpression(above) && above.expression.getText() === 'Error') return true
    if (ts.isImportDeclaration(above) || ts.isTypeNode(above)) return true
    if (ts.isVariableDeclaration(above) && /^[A-Z_]+$/.test(above.name.getText()))
      return /void main|vec[234] /.test(above.getText())
  }
  return false
}

/** Whether a text is a child of an element, as it is or as one of two. */
const isChild = (node: ts.Node): boolean => {
  const { parent } = node
  if (ts.isConditionalExpression(parent)) return parent.condition !== node && isChild(parent)
  if (ts.isBinaryExpression(parent)) return parent.right === node && isChild(parent)
  if (ts.isParenthesizedExpression(parent)) return isChild(parent)
  return ts.isJsxExpression(parent) && !ts.isJsxAttribute(parent.parent)
}

/** What of a text is written in a component, not in a table of words. */
export function literals(path: string, text: string): string[] {
  const file = ts.createSourceFile(path, text, ts.ScriptTarget.Latest, true, ts.ScriptKind.TSX)
  const found: string[] = []
  const look = (node: ts.Node): void => {
    if (ts.isJsxText(node) && LETTERS.test(node.text.replace(/&\w+;/g, ''))) found.push(node.text)
    else if (ts.isJsxAttribute(node) && READ.test(node.name.getText())) {
      const value = node.initializer
      if (value && ts.isStringLiteral(value) && LETTERS.test(value.text)) found.push(value.text)
    } else if (ts.isPropertyAssignment(node) && /^(words|label|hint)$/.test(node.name.getText())) {
      const value = node.initializer
      if (ts.isStringLiteralLike(value) && LETTERS.test(value.text)) found.push(value.text)
    } else if (ts.isStringLiteralLike(node) || ts.isTemplateExpression(node)) {
      const words = ts.isStringLiteralLike(node)
        ? node.text
        : [node.head, ...node.templateSpans.map((span) => span.literal)]
            .map((x) => x.text)
            .join('xx')
      if (isChild(node) && LETTERS.test(words.replaceAll('xx', ''))) found.push(words)
      else if (SENTENCE.test(words) && LETTERS.test(words.replaceAll('xx', '')) && !isUnread(node))
        found.push(words)
    }
    ts.forEachChild(node, look)
  }
  look(file)
  return found.map((words) => `${path.slice(SRC.length + 1)}: ${words.trim()}`)
}

it('finds sentences in a component, and nothing else', () => {
  const found = (text: string) => literals(join(SRC, 'a.tsx'), text).length
  expect(found('const a = <p>Remove it</p>')).toBe(1)
  expect(found('const a = <b title="Remove">{labels.remove}</b>')).toBe(1)
  expect(found("const a = <p>{one ? 'none' : two && `${three} maps`}</p>")).toBe(2)
  expect(found('const a = `the map ${name} is gone`')).toBe(1)
  expect(found("const a = <p className='one two three'>{labels.remove} &nbsp;</p>")).toBe(0)
  expect(found("const a = useRemembered('the last row', 0)")).toBe(0)
})

it('holds for every component', () => {
  const found = components(SRC).flatMap((path) => literals(path, readFileSync(path, 'utf8')))
  expect(found).toEqual([])
})
