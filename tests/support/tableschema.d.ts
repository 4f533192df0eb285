declare module 'tableschema' {
  /** Holds a descriptor against the Table Schema profile that the package carries. */
  export function validate(descriptor: object): Promise<{ valid: boolean; errors: unknown[] }>
}
