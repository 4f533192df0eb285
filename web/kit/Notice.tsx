import { Button } from '@mui/material'
import { closeSnackbar, enqueueSnackbar, MaterialDesignContent, SnackbarProvider } from 'notistack'
import { styled } from '@mui/material/styles'
import type { ReactElement, ReactNode } from 'react'

const Slip = styled(MaterialDesignContent)(() => ({
  '&.notistack-MuiContent': {
    fontFamily: 'inherit',
    fontSize: 13,
    color: 'var(--ink)',
    backgroundColor: 'var(--sheet)',
    border: '1px solid var(--rule)',
    borderLeft: '3px solid var(--spruce)',
    borderRadius: 3,
    boxShadow: '0 4px 16px rgb(0 0 0 / 18%)',
    padding: '3px 12px',
  },
  '&.notistack-MuiContent-error': { borderLeftColor: 'var(--rust)' },
}))

/** Room for what was done, said for a moment at the foot of the page. */
export const Notices = ({ children }: { children: ReactNode }): ReactElement => (
  <SnackbarProvider
    maxSnack={3}
    hideIconVariant
    autoHideDuration={6000}
    anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
    Components={{ default: Slip, success: Slip, error: Slip }}
  >
    {children}
  </SnackbarProvider>
)

/** Says what was done; `undo` takes it back, where it can be. */
export function say(words: string, undo?: () => void): void {
  enqueueSnackbar(words, {
    variant: 'success',
    action: (id) =>
      undo && (
        <Button
          variant="text"
          onClick={() => {
            closeSnackbar(id)
            undo()
          }}
        >
          Undo
        </Button>
      ),
  })
}
