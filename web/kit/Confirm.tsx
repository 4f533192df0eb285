import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import { useId, useState, type ReactElement, type ReactNode } from 'react'
import { FaultBox } from './Fault'

/** Asks before something is done that cannot be taken back; what stands in its way is said in place. */
export function Confirm({
  title,
  yes,
  no = 'Leave it as it is',
  onYes,
  onNo,
  children,
}: {
  readonly title: ReactNode
  readonly yes: ReactNode
  readonly no?: ReactNode
  readonly onYes: () => unknown
  readonly onNo: () => void
  readonly children: ReactNode
}): ReactElement {
  const id = useId()
  const [fault, setFault] = useState<Error>()
  const [busy, setBusy] = useState(false)
  const go = async () => {
    setBusy(true)
    setFault(undefined)
    try {
      await onYes()
    } catch (error) {
      setFault(error as Error)
    } finally {
      setBusy(false)
    }
  }
  return (
    <Dialog open onClose={onNo} aria-labelledby={id}>
      <DialogTitle id={id}>{title}</DialogTitle>
      <DialogContent>
        {children}
        {fault && <FaultBox error={fault} />}
      </DialogContent>
      <DialogActions>
        <Button disabled={busy} onClick={() => void go()}>
          {yes}
        </Button>
        <Button variant="contained" color="primary" autoFocus onClick={onNo}>
          {no}
        </Button>
      </DialogActions>
    </Dialog>
  )
}
