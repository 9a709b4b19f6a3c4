import { styled } from '@mui/material/styles'
import { Dialog, DialogContent, DialogTitle } from '@mui/material'
import Markdown from 'react-markdown'
import remarkGfm from 'remark-gfm'

import guide from '../../../docs/guide.md?raw'

const GuideBox = styled(DialogContent)({
  lineHeight: 1.5,
  '& h1, & h2': {
    margin: '18px 0 6px',
  },
  '& p, & ul, & ol': {
    margin: '6px 0',
    maxWidth: '72ch',
  },
  '& img': {
    width: '100%',
    border: '1px solid var(--line)',
  },
  '& table': {
    borderCollapse: 'collapse',
    fontSize: 12.5,
  },
  '& th, & td': {
    padding: '4px 8px',
    borderBottom: '1px solid var(--line)',
    textAlign: 'left',
    verticalAlign: 'top',
  },
  '& code': {
    fontFamily: 'var(--mono, monospace)',
  },
})

const PICTURES = import.meta.glob<string>('../../../docs/screenshots/*.png', {
  eager: true,
  query: '?url',
  import: 'default',
})

// The text's own heading is the dialog's.
const [title = '', ...rest] = guide.replace(/^# /, '').split('\n')

const pictureOf = (file: string) => PICTURES[`../../../docs/${file}`] ?? file

/** The guide for artists, the same text as in the documents. */
export default function Guide({ close }: { close: () => void }) {
  return (
    <Dialog open onClose={close} maxWidth="md" fullWidth>
      <DialogTitle>{title}</DialogTitle>
      <GuideBox tabIndex={0}>
        <Markdown
          remarkPlugins={[remarkGfm]}
          urlTransform={pictureOf}
          components={{
            img: ({ src, alt }) => <img src={src} alt={alt ?? ''} loading="lazy" />,
          }}
        >
          {rest.join('\n')}
        </Markdown>
      </GuideBox>
    </Dialog>
  )
}
