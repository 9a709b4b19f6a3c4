// Styles that several components share.
import { styled } from '@mui/material/styles'

export const ChangedBar = styled('section')({
  display: 'flex',
  alignItems: 'center',
  gap: 12,
  padding: '6px 14px',
  background: 'var(--amberWash)',
  borderTop: '1px solid var(--line)',
})
