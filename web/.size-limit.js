// What a browser has to fetch before the first page is there: its scripts and styles, and what those import at once. Our own goal.
import { readFileSync } from 'node:fs'

const manifest = JSON.parse(readFileSync(new URL('dist/.vite/manifest.json', import.meta.url)))

const fetched = ({ file, css = [], imports = [] }) => [
  file,
  ...css,
  ...imports.flatMap((name) => fetched(manifest[name])),
]

export default [
  {
    name: 'First page, compressed as the server sends it',
    path: [...new Set(fetched(manifest['index.html']))].map((file) => `dist/${file}`),
    limit: '300 kB',
    gzip: true,
  },
]
