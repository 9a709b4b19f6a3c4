import { Button, Menu, MenuItem } from '@mui/material'
import { useRef, useState } from 'react'

import { useImport } from './useImport'
import { labels } from '../words/components'

/** The button that brings in files or a folder, for those who do not drop them. */
export function PickFiles({ contained = false }: { contained?: boolean }) {
  const bringIn = useImport()
  const files = useRef<HTMLInputElement>(null)
  const folder = useRef<HTMLInputElement>(null)
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const pick = (input: HTMLInputElement | null) => {
    setAnchor(null)
    input?.click()
  }
  const chosen = (input: HTMLInputElement) => {
    bringIn(Array.from(input.files ?? []))
    input.value = ''
  }
  return (
    <>
      <Button
        variant={contained ? 'contained' : 'outlined'}
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {labels.import}
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem onClick={() => pick(files.current)}>{labels.files}</MenuItem>
        <MenuItem onClick={() => pick(folder.current)}>{labels.aFolder}</MenuItem>
      </Menu>
      <input
        ref={files}
        type="file"
        multiple
        hidden
        aria-label={labels.filesToImport}
        onChange={(event) => chosen(event.target)}
      />
      <input
        ref={(input) => {
          folder.current = input
          input?.setAttribute('webkitdirectory', '')
        }}
        type="file"
        multiple
        hidden
        aria-label={labels.folderToImport}
        onChange={(event) => chosen(event.target)}
      />
    </>
  )
}
