import { Button, Drawer } from '@mui/material'
import { styled } from '@mui/material/styles'
import type { ReactNode } from 'react'

import { labels } from '../words/team'

const Body = styled('div')({
  width: 'min(420px, 92vw)',
  padding: '12px 16px',
  display: 'grid',
  gap: 12,
  alignContent: 'start',
  '&:focus': { outline: 'none' },
  '& ol, & ul': { listStyle: 'none', margin: 0, padding: 0, display: 'grid', gap: 12 },
})

interface Props {
  title: string
  /** Between the title and the way out. */
  beside?: ReactNode
  close: () => void
  children: ReactNode
}

/** A panel at the right, over the page. */
export function SidePanel({ title, beside, close, children }: Props) {
  return (
    <Drawer
      anchor="right"
      open
      onClose={close}
      slotProps={{ paper: { 'aria-label': title, role: 'dialog' } as object }}
    >
      <Body tabIndex={-1} data-side-panel>
        <div className="row">
          <h1 className="grow">{title}</h1>
          {beside}
          <Button variant="text" onClick={close}>
            {labels.close}
          </Button>
        </div>
        {children}
      </Body>
    </Drawer>
  )
}

/** Keeps the keyboard in the panel where the button that was pressed goes with what it did. */
export function stayInPanel(button: HTMLElement) {
  button.closest<HTMLElement>('[data-side-panel]')?.focus()
}
