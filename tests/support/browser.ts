/** How Debian's Chromium is begun: without a window, and asking nobody for anything. */
export const browserFlags = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
]
