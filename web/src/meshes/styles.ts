// Styles that several components share.
import { styled } from '@mui/material/styles'

export const UvDrawerBox = styled('section')({
  display: 'flex',
  flex: 'none',
  height: 296,
  borderTop: '1px solid var(--line)',
  background: 'var(--ground)',
})
