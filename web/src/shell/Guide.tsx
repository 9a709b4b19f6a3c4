import { Dialog, DialogContent, DialogTitle } from '@mui/material'
import Markdown from 'react-markdown'
import remarkGfm from 'remark-gfm'

import guide from '../../../docs/guide.md?raw'
import './guide.css'

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
      <DialogContent className="guide" tabIndex={0}>
        <Markdown
          remarkPlugins={[remarkGfm]}
          urlTransform={pictureOf}
          components={{
            img: ({ src, alt }) => <img src={src} alt={alt ?? ''} loading="lazy" />,
          }}
        >
          {rest.join('\n')}
        </Markdown>
      </DialogContent>
    </Dialog>
  )
}
