import type {} from '@mui/x-date-pickers/themeAugmentation'
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
            '&.MuiButton-text': { padding: '3px 6px', fontWeight: 400, textDecoration: 'underline', textDecorationColor: t.rule, textUnderlineOffset: 3, whiteSpace: 'normal', textAlign: 'left' },
            '&.MuiButton-text:hover': { backgroundColor: t.tint },
          },
        },
      },
      MuiTextField: { defaultProps: { size: 'small', variant: 'outlined' } },
      MuiOutlinedInput: {
        styleOverrides: {
          root: { fontSize: 13, backgroundColor: t.sheet },
          input: { padding: '4px 8px', height: 'auto', lineHeight: 1.5 },
          multiline: { padding: 0 },
          notchedOutline: { borderColor: t.grey },
        },
      },
      MuiInputLabel: { styleOverrides: { root: { fontSize: 13, color: t.soft } } },
      MuiSelect: { styleOverrides: { select: { padding: '4px 26px 4px 8px', minHeight: 0, lineHeight: 1.5 }, icon: { fontSize: 18, right: 4, color: t.soft } } },
      MuiMenuItem: { styleOverrides: { root: { fontSize: 13, minHeight: 0, padding: '5px 12px' } } },
      MuiTooltip: { defaultProps: { arrow: false, enterDelay: 400 }, styleOverrides: { tooltip: { fontSize: 12, backgroundColor: t.ink, color: t.sheet } } },
      MuiDialog: { styleOverrides: { paper: { border: `1px solid ${t.rule}` } } },
      MuiDialogTitle: { styleOverrides: { root: { fontSize: 16, fontWeight: 650, padding: '14px 18px 6px' } } },
      MuiFormControlLabel: { styleOverrides: { root: { marginLeft: -3, marginRight: 10 }, label: { fontSize: 13 } } },
      MuiCheckbox: { defaultProps: { size: 'small' }, styleOverrides: { root: { padding: 3 } } },
      MuiTable: { styleOverrides: { root: { borderCollapse: 'collapse' } } },
      MuiTableCell: {
        styleOverrides: {
          root: { fontSize: 13, lineHeight: 1.45, padding: '5px 8px', borderBottom: `1px solid ${t.rule}`, verticalAlign: 'top', color: 'inherit', fontFamily: 'inherit', overflowWrap: 'anywhere' },
          head: { fontSize: 12, fontWeight: 600, color: t.soft },
        },
      },
      MuiTableSortLabel: { styleOverrides: { root: { color: 'inherit', '&.Mui-active': { color: t.ink } }, icon: { fontSize: 14, margin: '0 2px' } } },
      MuiInputBase: { styleOverrides: { root: { fontSize: 13 } } },
      MuiAutocomplete: {
        styleOverrides: {
          inputRoot: { padding: '1px 6px !important', gap: 3 },
          input: { padding: '3px 3px !important', minWidth: '60px !important' },
          tag: { margin: 0 },
          option: { fontSize: 13, minHeight: 0, padding: '4px 12px' },
          paper: { border: `1px solid ${t.rule}` },
        },
      },
      MuiChip: { styleOverrides: { root: { borderRadius: 3, height: 20, fontSize: 12, backgroundColor: t.tint }, label: { padding: '0 7px' }, deleteIcon: { fontSize: 14, margin: '0 3px 0 -3px', color: t.soft } } },
      MuiInputAdornment: { styleOverrides: { root: { marginLeft: 0 } } },
      MuiPickersOutlinedInput: { styleOverrides: { root: { fontSize: 13, height: 28, padding: '0 8px', backgroundColor: t.sheet }, notchedOutline: { borderColor: t.grey } } },
      MuiPickersInputBase: { styleOverrides: { root: { fontSize: 13 }, sectionsContainer: { padding: '4px 0', lineHeight: 1.5, minWidth: 0, width: 'auto', flex: 1 } } },
      MuiPickersTextField: { defaultProps: { size: 'small' } },
      MuiPickerPopper: { styleOverrides: { paper: { border: `1px solid ${t.rule}`, boxShadow: '0 4px 16px rgb(0 0 0 / 18%)' } } },
      MuiIconButton: { styleOverrides: { root: { padding: 3, '& svg': { fontSize: 17 } }, edgeEnd: { marginRight: -3 } } },
      MuiTabs: { styleOverrides: { root: { minHeight: 28 }, indicator: { height: 2, backgroundColor: t.spruce } } },
      MuiTab: {
        styleOverrides: {
          root: { minHeight: 28, minWidth: 0, padding: '3px 0', marginRight: 16, fontSize: 13, lineHeight: 1.4, textTransform: 'none', fontWeight: 400, color: t.soft, opacity: 1, '&.Mui-selected': { color: t.ink, fontWeight: 650 }, '&.Mui-focusVisible': { outline: `2px solid ${t.spruce}`, outlineOffset: -2 } },
        },
      },
      MuiPaper: { styleOverrides: { root: { backgroundImage: 'none' } } },
    },
  }) // prettier-ignore
}
