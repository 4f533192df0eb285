import { createTheme } from '@mui/material/styles'
import { day, night } from './tokens'

export const sans = '"Public Sans", system-ui, sans-serif'

/** MUI's controls in Mattock's ground: hairlines, 3 px corners, no shadows, 13 px text. */
export function makeTheme(mode: 'light' | 'dark') {
  const t = mode === 'dark' ? night : day
  return createTheme({
    palette: {
      mode,
      primary: { main: t.spruce, contrastText: t.onSpruce },
      error: { main: t.rust },
      background: { default: t.paper, paper: t.sheet },
      text: { primary: t.ink, secondary: t.soft },
      divider: t.rule,
    },
    shape: { borderRadius: 3 },
    typography: { fontFamily: sans, fontSize: 13, htmlFontSize: 16, button: { textTransform: 'none', fontWeight: 500 } },
    transitions: { create: () => 'none' },
    components: {
      MuiButtonBase: { defaultProps: { disableRipple: true } },
      MuiButton: {
        defaultProps: { size: 'small', variant: 'outlined', disableElevation: true, color: 'inherit' },
        styleOverrides: {
          root: {
            fontSize: 13, lineHeight: 1.4, padding: '3px 11px', minWidth: 0, borderColor: t.ink, whiteSpace: 'nowrap',
            '&.Mui-focusVisible': { outline: `2px solid ${t.spruce}`, outlineOffset: 2 },
            '&.MuiButton-outlinedInherit': { borderColor: t.ink, backgroundColor: t.sheet },
            '&.MuiButton-outlinedInherit:hover': { backgroundColor: t.tint },
            '&.Mui-disabled': { borderColor: t.rule, color: t.soft },
          },
        },
      },
      MuiTextField: { defaultProps: { size: 'small', variant: 'outlined' } },
      MuiOutlinedInput: {
        styleOverrides: {
          root: { fontSize: 13, backgroundColor: t.sheet },
          input: { padding: '5px 9px', height: 'auto' },
          notchedOutline: { borderColor: t.grey },
        },
      },
      MuiInputLabel: { styleOverrides: { root: { fontSize: 13, color: t.soft } } },
      MuiSelect: { styleOverrides: { select: { padding: '5px 28px 5px 9px', minHeight: 0 } } },
      MuiMenuItem: { styleOverrides: { root: { fontSize: 13, minHeight: 0, padding: '5px 12px' } } },
      MuiTooltip: { defaultProps: { arrow: false, enterDelay: 400 }, styleOverrides: { tooltip: { fontSize: 12, backgroundColor: t.ink, color: t.sheet } } },
      MuiDialog: { styleOverrides: { paper: { border: `1px solid ${t.rule}` } } },
      MuiDialogTitle: { styleOverrides: { root: { fontSize: 16, fontWeight: 650, padding: '14px 18px 6px' } } },
      MuiFormControlLabel: { styleOverrides: { root: { marginLeft: -3, marginRight: 10 }, label: { fontSize: 13 } } },
      MuiCheckbox: { defaultProps: { size: 'small' }, styleOverrides: { root: { padding: 3 } } },
      MuiPaper: { styleOverrides: { root: { backgroundImage: 'none' } } },
    },
  }) // prettier-ignore
}
