import { create, isMessage } from '@bufbuild/protobuf'
import { isReflectMessage } from '@bufbuild/protobuf/reflect'
import { TimestampSchema, type Timestamp } from '@bufbuild/protobuf/wkt'
import { Temporal } from 'temporal-polyfill'

/** A point in time as CEL has it. */
export function timestamp(instant: Temporal.Instant): Timestamp {
  const milliseconds = instant.epochMilliseconds
  const seconds = Math.floor(milliseconds / 1000)
  return create(TimestampSchema, {
    seconds: BigInt(seconds),
    nanos: Number(instant.epochNanoseconds - BigInt(seconds) * 1_000_000_000n),
  })
}

/** The instant of a CEL timestamp (the library hands messages over wrapped), or undefined for any other value. */
export function asInstant(value: unknown): Temporal.Instant | undefined {
  const message = isReflectMessage(value) ? value.message : value
  if (!isMessage(message, TimestampSchema)) return undefined
  return Temporal.Instant.fromEpochMilliseconds(Number(message.seconds) * 1000).add({
    nanoseconds: message.nanos,
  })
}
