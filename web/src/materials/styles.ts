// Styles that several components share.
import { styled } from '@mui/material/styles'

export const LayerBox = styled('fieldset')({
  border: '1px solid var(--line)',
  margin: '4px 0',
  padding: '6px 8px',
  '&[data-over]': {
    borderTop: '2px solid var(--accent)',
  },
  '& legend[draggable="true"]': {
    cursor: 'grab',
  },
})
