import { Button, TextField } from '@mui/material'
import { useState, type ReactElement } from 'react'

/** A text that is shown this once, to be taken away. */
export function OneTime({ text, words }: { readonly text: string; readonly words: string }): ReactElement {
  const [copied, setCopied] = useState(false)
  return (
    <div className="stack">
      <p style={{ margin: 0 }}>{words}</p>
      <TextField
        fullWidth
        multiline
        value={text}
        slotProps={{
          htmlInput: {
            readOnly: true,
            'aria-label': 'shown once',
            className: 'mono',
            onFocus: (event: React.FocusEvent<HTMLTextAreaElement>) => event.target.select(),
          },
        }}
      />
      {/* where the page is not secure, browsers keep the clipboard to themselves: it is selected, and copied by hand */}
      {'clipboard' in navigator && (
        <div>
          <Button onClick={() => void navigator.clipboard.writeText(text).then(() => setCopied(true))}>
            {copied ? 'Copied' : 'Copy'}
          </Button>
        </div>
      )}
    </div>
  )
}
