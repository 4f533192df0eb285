type Mutable<T> = T extends readonly (infer U)[]
  ? Mutable<U>[]
  : T extends object
    ? { -readonly [K in keyof T]: Mutable<T[K]> }
    : T

/** Our values are read-only; what goes into JSON need not be. */
export const mutable = <T>(value: T): Mutable<T> => value as Mutable<T>
