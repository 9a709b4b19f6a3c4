import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import type { Document, Edit } from '../api/types'
import { WEIGHTS } from './groups'
import { labels } from '../words/checks'

type RuleEdit = Extract<Edit, { kind?: 'set-rule' }>
type Rule = RuleEdit['rule']

interface Props {
  document: Document
  close: () => void
}

const number = (text: string) => Number(text.replace(',', '.'))
const SIMPLE: { rule: Rule; label: string; hint: string; whole?: boolean; text?: boolean }[] = [
  { rule: 'largest_size', label: labels.maximumTextureSize, hint: labels.hintTexels, whole: true },
  { rule: 'memory_mb', label: labels.memoryOfAllMapsInThe, hint: labels.mbBlockCompressed },
  { rule: 'material_names', label: labels.namesOfMaterials, hint: labels.aPatternAsM, text: true },
  { rule: 'density_factor', label: labels.densityMayBeOffBy, hint: labels.timesUpOrDown2Is },
]

/** What the project asks of its assets; each field is a rule of its own, empty is no rule. */
export function ProjectRules({ document, close }: Props) {
  const edit = useEdit()
  const rules = document.rules
  const [simple, setSimple] = useState(() =>
    Object.fromEntries(SIMPLE.map(({ rule }) => [rule, stated(rules?.[rule])])),
  )
  const tags = [
    ...new Set(
      Object.values(document.materials ?? {}).flatMap(({ surface_tag }) => surface_tag ?? []),
    ),
  ].sort()
  const known = ['', ...new Set([...tags, ...Object.keys(rules?.density ?? {}).filter(Boolean)])]
  const [density, setDensity] = useState(() =>
    Object.fromEntries(known.map((tag) => [tag, stated(rules?.density?.[tag])])),
  )
  const wrong = [
    ...SIMPLE.filter(({ rule, text }) => {
      const given = simple[rule]?.trim() ?? ''
      const least = rule === 'density_factor' ? 1 : 0
      return given !== '' && !text && !(number(given) > least)
    }).map(({ rule }) => rule as string),
    ...known.filter((tag) => density[tag]?.trim() && !(number(density[tag]) > 0)),
  ]
  const save = () => {
    const edits: Edit[] = SIMPLE.filter(({ rule }) => simple[rule] !== stated(rules?.[rule])).map(
      ({ rule, whole, text }) => {
        const given = simple[rule]?.trim() ?? ''
        const value = text ? given : whole ? Math.round(number(given)) : number(given)
        return { kind: 'set-rule', rule, value: given === '' ? null : value }
      },
    )
    const wanted = Object.fromEntries(
      known.filter((tag) => density[tag]?.trim()).map((tag) => [tag, number(density[tag]!)]),
    )
    if (JSON.stringify(wanted) !== JSON.stringify(rules?.density ?? {}))
      edits.push({
        kind: 'set-rule',
        rule: 'density',
        value: Object.keys(wanted).length ? wanted : null,
      })
    if (edits.length) void edit(...edits)
    close()
  }
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (!wrong.length) save()
        }}
      >
        <DialogTitle>{labels.projectRulesTitle}</DialogTitle>
        <DialogContent>
          <p className="small">{labels.checksHoldTheProjectAgainstThese}</p>
          <div className="fields">
            {SIMPLE.map(({ rule, label, hint }) => (
              <TextField
                key={rule}
                label={label}
                helperText={wrong.includes(rule) ? labels.giveANumberAboveThat : hint}
                error={wrong.includes(rule)}
                value={simple[rule]}
                onChange={(event) => setSimple({ ...simple, [rule]: event.target.value })}
              />
            ))}
          </div>
          <h2>{labels.texelsPerMetreBySurfaceTag}</h2>
          <div className="fields three">
            {known.map((tag) => (
              <TextField
                key={tag}
                label={tag || labels.allOthers}
                helperText={wrong.includes(tag) ? labels.giveANumberAbove0 : labels.texelsPerMetre}
                error={wrong.includes(tag)}
                value={density[tag]}
                onChange={(event) => setDensity({ ...density, [tag]: event.target.value })}
              />
            ))}
          </div>
          {Object.keys(rules?.severities ?? {}).length > 0 && (
            <>
              <h2>{labels.codesWithAnotherWeight}</h2>
              <div className="evidence">
                {Object.entries(rules?.severities ?? {}).map(([code, weight]) => (
                  <div key={code} className="row">
                    <span className="mono">{code}</span>
                    <span className="grow">
                      {WEIGHTS.find(([key]) => key === weight)?.[1] ?? weight}
                    </span>
                    <Button
                      variant="text"
                      onClick={() => void edit({ kind: 'set-severity', code, severity: null })}
                    >
                      {labels.asUsualTitle}
                      <span className="sr">{labels.for(code)}</span>
                    </Button>
                  </div>
                ))}
              </div>
            </>
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={close}>{labels.cancel}</Button>
          <Button type="submit" variant="contained" disabled={wrong.length > 0}>
            {labels.setTheRules}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}

function stated(value: unknown): string {
  return value == null || typeof value === 'object' ? '' : String(value as string | number)
}
