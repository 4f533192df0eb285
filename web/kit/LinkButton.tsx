import { Link, type LinkProps } from '@mui/material'
import type { ReactElement } from 'react'

/** A button that stands within a sentence or a cell, and looks like its words. */
export function LinkButton({ sx = {}, ...props }: LinkProps<'button'>): ReactElement {
  return (
    <Link
      component="button"
      type="button"
      variant="inherit"
      color="inherit"
      sx={{
        textAlign: 'inherit',
        verticalAlign: 'baseline',
        textDecorationColor: 'var(--rule)',
        textUnderlineOffset: '3px',
        ...(sx as object),
      }}
      {...props}
    />
  )
}
