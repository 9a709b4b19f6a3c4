// Styles that several components share.
import { styled } from '@mui/material/styles'

export const ScenePart = styled('section')({
  display: 'grid',
  gap: 8,
  padding: '8px 14px 10px',
  borderTop: '1px solid var(--line)',
  '& h3': {
    fontSize: 11.5,
    fontWeight: 400,
    color: 'var(--ink2)',
  },
})
