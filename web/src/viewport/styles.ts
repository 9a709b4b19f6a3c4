// Styles that several components share.
import { styled } from '@mui/material/styles'

export const StageBox = styled('div')({
  position: 'relative',
  flex: 1,
  minHeight: 0,
  background: 'var(--stage)',
})

export const StageTrouble = styled('p')({
  position: 'absolute',
  left: 12,
  right: 12,
  top: '45%',
  margin: 0,
  padding: '8px 10px',
  borderRadius: 3,
  background: 'var(--raised)',
  textAlign: 'center',
})

export const Over = styled('div')({
  position: 'absolute',
  display: 'flex',
  border: '1px solid var(--strong)',
  borderRadius: 3,
  overflow: 'hidden',
  background: 'var(--raised)',
  '& button': {
    background: 'none',
    border: 0,
    borderRight: '1px solid var(--line)',
    padding: '4px 9px',
    cursor: 'pointer',
  },
  '& button:last-child': {
    borderRight: 0,
  },
  '& button[aria-pressed="true"]': {
    background: 'var(--accent)',
    color: 'var(--onAccent)',
  },
})

export const StageNote = styled('span')({
  position: 'absolute',
  left: 12,
  bottom: 10,
  padding: '2px 8px',
  borderRadius: 3,
  background: 'rgb(0 0 0 / 72%)',
  color: 'white',
  fontSize: 11.5,
})
