// Styles that several components share.
import { styled } from '@mui/material/styles'

export const FindingActions = styled('div')({
  height: 52,
  gap: 8,
  borderTop: '1px solid var(--line)',
  borderBottom: 0,
})
