import type { ParsedJob } from '../job/parse'
import { documentPath } from './documentPath'
import { findingKinds } from './findings'
import type { Finding, FindingCode, Level } from './types'

/** SARIF's words for the levels (OASIS SARIF 2.1.0, 3.27.10). */
const levels: Readonly<Record<Level, 'error' | 'warning' | 'note'>> = {
  stop: 'error',
  look: 'warning',
  note: 'note',
}

/**
 * Findings as a SARIF 2.1.0 log (OASIS standard), for a build server. `parsed` is the job's text read, `uri` its place
 * in the source tree.
 */
export function sarifLog(findings: readonly Finding[], parsed: ParsedJob, uri: string) {
  const used = [...new Set(findings.map(({ code }) => code))].sort()
  return {
    $schema: 'https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json',
    version: '2.1.0' as const,
    runs: [
      {
        tool: { driver: { name: 'Mattock', rules: used.map(ruleOf) } },
        columnKind: 'utf16CodeUnits' as const,
        results: findings.map((finding) => resultOf(finding, used, parsed, uri)),
      },
    ],
  }
}

function ruleOf(code: FindingCode) {
  const { says, levels: own } = findingKinds[code]
  return {
    id: code,
    shortDescription: { text: says },
    defaultConfiguration: { level: levels[own[0]!] },
  }
}

function resultOf(finding: Finding, used: readonly FindingCode[], parsed: ParsedJob, uri: string) {
  const path = parsed.job ? documentPath(parsed.job, finding) : undefined
  const { line, column } = parsed.place(path ?? '')
  return {
    ruleId: finding.code,
    ruleIndex: used.indexOf(finding.code),
    level: levels[finding.level],
    message: { text: finding.message },
    locations: [
      {
        physicalLocation: {
          artifactLocation: { uri },
          region: { startLine: line, startColumn: column },
        },
        ...(path === undefined ? {} : { logicalLocations: [{ fullyQualifiedName: path, kind: 'member' }] }),
      },
    ],
    properties: { loads: finding.loads.length, keys: finding.where.loads ?? [] },
  }
}
