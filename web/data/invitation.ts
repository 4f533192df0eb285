/** Where the code of an invitation stands in the address: behind the #, which browsers send to nobody. */
export const invitationIn = ({ pathname, hash }: Pick<Location, 'pathname' | 'hash'>): string | undefined =>
  pathname === '/first' && hash.length > 1 ? hash.slice(1) : undefined
