// The tokens of the look, and the one theme made of them. Everything else names tokens, never colours.
import { createTheme } from '@mui/material/styles'

const light = {
  ground: '#e3e3e3',
  surface: '#efefef',
  raised: '#fafafa',
  line: '#cfcfcf',
  strong: '#a9a9a9',
  ink: '#1b1b1b',
  ink2: '#565656',
  ink3: '#5f5f5f',
  accent: '#1f6f6b',
  accentWash: '#dfe9e8',
  onAccent: '#ffffff',
  amber: '#7d5200',
  amberWash: '#f3e8d2',
  brick: '#a3302a',
  brickWash: '#f3dddb',
  r: '#b3433b',
  g: '#37733a',
  b: '#3d62ad',
  a: '#5f5f5f',
  stage: '#767676',
}
const dark: typeof light = {
  ground: '#191919',
  surface: '#222222',
  raised: '#2b2b2b',
  line: '#3a3a3a',
  strong: '#5a5a5a',
  ink: '#ececec',
  ink2: '#b4b4b4',
  ink3: '#a0a0a0',
  accent: '#6cc5bc',
  accentWash: '#263332',
  onAccent: '#10201f',
  amber: '#e0b45c',
  amberWash: '#38301f',
  brick: '#ec8f87',
  brickWash: '#3a2524',
  r: '#e07a71',
  g: '#7fbf78',
  b: '#86a8ea',
  a: '#aaaaaa',
  stage: '#767676',
}

/** Tints that tell slots apart on the stage: even lightness, so none stands out. */
export const SLOT_TINTS = [
  '#6f9dc4',
  '#c98f52',
  '#a76fb0',
  '#6f9a72',
  '#bdb455',
  '#8b8b8b',
  '#c4757f',
  '#5fa7a3',
  '#9b8566',
  '#7f86c9',
]

/** Colours that numbers are shown in on a mesh: few, middle and many of something, what is marked, and what has no number. */
export const RAMP = {
  low: '#2d3f4f',
  middle: '#d8d8d8',
  high: '#1f6f6b',
  mark: '#a3302a',
  none: '#6b6b6b',
}

/** Colours of lights and of what the stage itself draws; linear light is made of them. */
export const STAGE = {
  white: '#ffffff',
  black: '#000000',
  ghost: '#8a8a8a',
  wire: '#1b1b1b',
  back: '#5b4a7d',
  backStripe: '#e0cf8f',
  chosen: '#6cc5bc',
}

/** A colour, a normal and a grey map, as the first steps draw them. */
export const SPECIMENS = { a: '#b0815a', b: '#7f86d8', c: '#8d9499' }

/** Backgrounds of a picture that is saved, as codes; none is see-through. */
export const PAPER = { grey: light.stage, black: '#000000', white: '#ffffff', none: null }

/** Backgrounds of the stage. */
export const BACKDROPS = { grey: 'var(--stage)', black: '#000000', white: '#ffffff' }

const variables = (tokens: typeof light) =>
  Object.fromEntries(Object.entries(tokens).map(([name, value]) => [`--${name}`, value]))

/** Custom properties for style sheets, by colour scheme. */
export const tokenStyles = {
  ':root, [data-scheme="light"]': { ...variables(light), colorScheme: 'light' },
  '[data-scheme="dark"]': { ...variables(dark), colorScheme: 'dark' },
}

const palette = (t: typeof light) => ({
  primary: { main: t.accent, contrastText: t.onAccent },
  warning: { main: t.amber },
  error: { main: t.brick },
  background: { default: t.ground, paper: t.raised },
  text: { primary: t.ink, secondary: t.ink2, disabled: t.ink3 },
  divider: t.line,
})

export const SANS = '"Atkinson Hyperlegible Next Variable", system-ui, sans-serif'

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: 'data-scheme' },
  colorSchemes: { light: { palette: palette(light) }, dark: { palette: palette(dark) } },
  shape: { borderRadius: 3 },
  spacing: 8,
  typography: {
    fontFamily: SANS,
    fontSize: 13,
    htmlFontSize: 16,
    button: { textTransform: 'none', fontWeight: 500 },
    body1: { fontSize: 13, lineHeight: 1.45 },
    body2: { fontSize: 13 },
  },
  shadows: Array(25).fill('none') as never,
  transitions: { create: () => 'none' },
  components: {
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiButton: {
      defaultProps: { size: 'small', variant: 'outlined', color: 'inherit' },
      styleOverrides: {
        root: {
          borderColor: 'var(--strong)',
          background: 'var(--raised)',
          minHeight: 28,
          padding: '2px 10px',
          fontSize: 13,
          lineHeight: 1.5,
          whiteSpace: 'nowrap',
        },
        text: { background: 'none', border: 0 },
        contained: {
          background: 'var(--accent)',
          color: 'var(--onAccent)',
          '&:hover': { background: 'var(--accent)', filter: 'brightness(1.08)' },
        },
      },
    },
    MuiPaper: {
      styleOverrides: { root: { border: '1px solid var(--line)', backgroundImage: 'none' } },
    },
    MuiTooltip: {
      defaultProps: { enterDelay: 500, disableInteractive: true },
      styleOverrides: {
        tooltip: { background: 'var(--ink)', color: 'var(--raised)', fontSize: 12 },
      },
    },
    MuiMenuItem: {
      styleOverrides: { root: { fontSize: 13, minHeight: 28, paddingTop: 2, paddingBottom: 2 } },
    },
    MuiTextField: { defaultProps: { size: 'small' } },
    MuiInputBase: { styleOverrides: { root: { fontSize: 13 } } },
    MuiSlider: {
      defaultProps: { size: 'small' },
      styleOverrides: {
        thumb: { width: 6, height: 14, borderRadius: 1, background: 'var(--ink)' },
        rail: { background: 'var(--strong)', opacity: 1 },
      },
    },
    MuiCheckbox: { defaultProps: { size: 'small' } },
    MuiDialogTitle: {
      styleOverrides: { root: { fontSize: 17, fontWeight: 600, padding: '16px 20px 8px' } },
    },
    MuiAlert: { styleOverrides: { root: { fontSize: 13 } } },
  },
})
