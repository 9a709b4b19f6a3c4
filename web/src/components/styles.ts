// Styles that several components share.
import { styled } from '@mui/material/styles'

export const Divided = styled('div')({
  position: 'relative',
  overflow: 'hidden',
  '& img + img': {
    position: 'absolute',
    inset: 0,
  },
  '& span': {
    position: 'absolute',
    top: 0,
    bottom: 0,
    width: 2,
    marginLeft: -1,
    background: 'var(--accent)',
    pointerEvents: 'none',
  },
  '& input': {
    position: 'absolute',
    inset: 0,
    width: '100%',
    height: '100%',
    margin: 0,
    opacity: 0,
    cursor: 'ew-resize',
  },
  '&:focus-within': {
    outline: '2px solid var(--accent)',
    outlineOffset: 1,
  },
})

export const MoreBox = styled('button')({
  padding: '0 4px',
  color: 'var(--ink2)',
})

export const SliderBox = styled('div')({
  display: 'grid',
  gridTemplateColumns: '64px minmax(80px, 1fr) 68px',
  gap: 12,
  alignItems: 'center',
  minHeight: 26,
  '& input.number': {
    width: '100%',
    padding: '2px 5px',
    border: '1px solid var(--strong)',
    borderRadius: 2,
    background: 'var(--surface)',
    color: 'var(--ink)',
    font: "11.5px 'Atkinson Hyperlegible Mono Variable', monospace",
  },
  '& .colour': {
    width: 72,
    height: 24,
    padding: 0,
    border: '1px solid var(--strong)',
  },
  '& .refused': {
    gridColumn: '2 / -1',
  },
  '& [aria-invalid="true"]': {
    borderColor: 'var(--brick)',
  },
  '& select': {
    maxWidth: 104,
    border: '1px solid var(--strong)',
    borderRadius: 2,
    background: 'var(--surface)',
    color: 'var(--ink)',
  },
})

export const Swatch = styled('span')({
  width: 40,
  height: 40,
  border: '1px solid var(--line)',
})

/** A word that picks what a list shows. */
export const FilterButton = styled('button')({
  background: 'none',
  border: 0,
  borderBottom: '2px solid transparent',
  padding: '4px 2px',
  cursor: 'pointer',
  "&[aria-pressed='true']": { borderBottomColor: 'var(--accent)', fontWeight: 600 },
})
