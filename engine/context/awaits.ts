/** A step began a run, and cannot go on before that has ended: its load gives its place up until then. */
export class AwaitsRun extends Error {
  constructor(readonly run: number) {
    super(`waits for run ${run}`)
    this.name = 'AwaitsRun'
  }
}
