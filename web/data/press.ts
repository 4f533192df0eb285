/** A text that nobody else makes up: what is asked for twice with it is one thing. Works where the page is not secure, too. */
export const newPress = (): string =>
  Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, '0')).join(
    '',
  )
