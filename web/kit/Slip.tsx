import { Dialog, DialogContent, DialogTitle } from '@mui/material'
import { useId, type ReactElement, type ReactNode } from 'react'

/** A small sheet over the page, for a form that is soon done. */
export function Slip({
  title,
  width = 'sm',
  onClose,
  children,
}: {
  readonly title: ReactNode
  readonly width?: 'xs' | 'sm' | 'md'
  readonly onClose: () => void
  readonly children: ReactNode
}): ReactElement {
  const id = useId()
  return (
    <Dialog open onClose={onClose} aria-labelledby={id} fullWidth maxWidth={width}>
      <DialogTitle id={id}>{title}</DialogTitle>
      <DialogContent>{children}</DialogContent>
    </Dialog>
  )
}
