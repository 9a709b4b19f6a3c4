// What a browser has to fetch before the first page is there: all that the page names, its scripts' own imports among it. Our own
// goal.
import { readFileSync } from 'node:fs'

const page = readFileSync(new URL('dist/index.html', import.meta.url), 'utf8')

export default [
  {
    name: 'First page, compressed as the server sends it',
    path: [...page.matchAll(/(?:src|href)="\/(assets\/[^"]+)"/g)].map(([, file]) => `dist/${file}`),
    limit: '300 kB',
    gzip: true,
  },
]
