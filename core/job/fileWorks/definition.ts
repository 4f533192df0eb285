/** Something that is done with files; engine/fileWorks/ has the other half. */
export interface FileWorkDefinition {
  /** `are copied`, as it is offered. */
  readonly words: string
  /** What it is given to put them into. */
  readonly into: 'folder' | 'file' | 'nothing'
  /** It takes files away, so it is told which steps must have dealt with them before. */
  readonly takesAway: boolean
  /** What it read is kept whole elsewhere, checksums equal, so that it may be taken away afterwards. */
  readonly keepsCopy: boolean
}
