import { styled } from '@mui/material/styles'
import { MiddleTruncate } from '../components/MiddleTruncate'
import { Box, Menu, MenuItem } from '@mui/material'
import { useEffect, useState } from 'react'
import { useProject } from '../api/queries'
import { feedOf, settingOf } from '../api/optimistic'
import type { Feed, InputName, Sheet } from '../api/types'
import { useImport } from '../components/useImport'
import { EXTRA_INPUTS, INPUT_WORDS, ROLE_WORDS } from '../words'
import { Adjust } from './Adjust'
import { MaterialLayers } from './MaterialLayers'
import { PLAIN, WIDE, firstValue } from './feed'
import { SourcePicker } from './SourcePicker'
import { AddNote } from '../team/NoteMark'
import { labels } from '../words/materials'
import { RowView, Letters } from './FeedRow'
import { type Draft, SheetHead } from './SheetHead'

const NoteLine = styled('div')({
  padding: '4px 14px 0',
  background: 'var(--raised)',
})

const UnusedOfSetBox = styled('section')({
  display: 'flex',
  flexWrap: 'wrap',
  gap: '4px 14px',
  alignItems: 'center',
  padding: '8px 14px 0',
  '& .row': {
    gap: 6,
  },
})

const Stuck = styled('p')({
  margin: 0,
  padding: '6px 14px',
  borderBottom: '1px solid var(--line)',
})

const SheetHeadBox = styled('div')({
  display: 'grid',
  gridTemplateColumns:
    '98px minmax(116px, 1.4fr) minmax(108px, 1fr) minmax(192px, 1fr) minmax( 92px, 0.6fr )',
  columnGap: 9,
  padding: '0 12px 0 14px',
  alignItems: 'center',
  position: 'sticky',
  top: 0,
  zIndex: 2,
  height: 26,
  background: 'var(--ground)',
  fontSize: 11.5,
  color: 'var(--ink2)',
})

/** One row an input, read from left to right: input, where it comes from, what changes it, what it gives, where it leaves. */
export function FeedSheet({
  name,
  draft,
  solo,
  setSolo,
  openRow,
  setOpenRow,
  go,
  compareWithout,
}: {
  name: string
  draft: Draft
  solo: InputName | null
  setSolo: (input: InputName | null) => void
  openRow: InputName | null
  setOpenRow: (input: InputName | null) => void
  go: (name: string) => void
  compareWithout: (input: InputName) => void
}) {
  const { sheet, document, error, tryFeed, commit, tryCovers, commitCovers, drop } = draft
  const [picking, setPicking] = useState<InputName | null>(null)
  const feedFrom = useFeedFromFile(commit)
  if (!sheet)
    return (
      <section className="pane" aria-label={labels.feedSheet}>
        <div className="empty">
          <p>{error ? error.message : labels.reading}</p>
        </div>
      </section>
    )
  const picked = sheet.rows.find((row) => row.input === picking)
  const stuck = sheet.rows.find((row) => row.leaves.problem)?.leaves.problem
  return (
    <section className="pane" aria-label={labels.feedSheet}>
      <SheetHead name={name} draft={draft} go={go} />
      {stuck && (
        <Stuck className="amber" role="status">
          {labels.nothingCanBeExportedNow(stuck)}
        </Stuck>
      )}
      <div className="scroll" tabIndex={-1}>
        <SheetHeadBox className="sheet-head">
          <span>{labels.input}</span>
          <span>{labels.source}</span>
          <span>{labels.adjustments}</span>
          <span>{labels.result}</span>
          <span>{labels.exportedAs}</span>
        </SheetHeadBox>
        {sheet.rows.map((row) => (
          <RowView
            key={row.input}
            material={name}
            row={row}
            workflow={sheet.workflow}
            derived={sheet.chain.length > 1}
            open={openRow === row.input}
            solo={solo === row.input}
            toggle={() => setOpenRow(openRow === row.input ? null : row.input)}
            pick={() => setPicking(row.input)}
            dropFile={(file) => feedFrom(row.input, file)}
            drop={({ map, channels }) => {
              const wide = WIDE.includes(row.input)
              if (wide === (channels ?? 'rgb').length > 1)
                commit(row.input, { ...PLAIN, value: null, map, channels })
              else setPicking(row.input)
            }}
          >
            <NoteLine>
              <AddNote at={{ kind: 'input', place: [name, row.input] }} />
            </NoteLine>
            {row.feed && (
              <Adjust
                key={JSON.stringify(row.feed.map)}
                material={name}
                row={row}
                feed={(document && feedOf(document, name, row.input)) ?? row.feed}
                drop={drop}
                compare={() => compareWithout(row.input)}
                derived={sheet.chain.length > 1}
                tryFeed={(feed) => tryFeed(row.input, feed)}
                commit={(feed) => commit(row.input, feed)}
                solo={solo === row.input}
                toggleSolo={() => setSolo(solo === row.input ? null : row.input)}
              />
            )}
          </RowView>
        ))}
        <UnusedOfSet sheet={sheet} commit={commit} />
        <MaterialLayers
          name={name}
          covers={(document && settingOf(document, name, 'covers')) ?? sheet.covers}
          problem={sheet.covers_problem ?? null}
          attempt={tryCovers}
          settle={commitCovers}
          go={go}
        />
        <MoreInputs
          sheet={sheet.rows.map((row) => row.input)}
          add={(input) => {
            commit(input, { ...PLAIN, value: firstValue(input) })
            setOpenRow(input)
          }}
        />
      </div>
      {picked && (
        <SourcePicker
          row={picked}
          close={() => setPicking(null)}
          choose={(feed) => commit(picked.input, feed)}
        />
      )}
    </section>
  )
}

/** What the material's map set holds besides: fed in one click, or at least said. */
function UnusedOfSet({ sheet, commit }: { sheet: Sheet; commit: Draft['commit'] }) {
  if (sheet.unused.length === 0) return null
  return (
    <UnusedOfSetBox className="small" aria-label={labels.unusedOfItsSet}>
      {labels.unusedOfItsSetHead}
      {sheet.unused.map(({ map, channels, role, input, feed }) => (
        <span key={`${map} ${channels}`} className="row">
          <MiddleTruncate name={map} />
          <Letters channels={channels} />
          {ROLE_WORDS[role].toLowerCase()}
          {input && feed ? (
            <button className="link" onClick={() => commit(input, { ...PLAIN, ...feed })}>
              {labels.feed(INPUT_WORDS[input].name.toLowerCase())}
            </button>
          ) : (
            <span className="quiet">
              {role === 'subsurface' ? labels.noInput : labels.fedOtherwise}
            </span>
          )}
        </span>
      ))}
    </UnusedOfSetBox>
  )
}

/** Bring one file in, and feed an input from it as soon as it is a map of the project. */
function useFeedFromFile(commit: (input: InputName, feed: Feed) => void) {
  const maps = useProject().data?.document.maps
  const bringIn = useImport()
  const [waiting, setWaiting] = useState<{ input: InputName; file: string } | null>(null)
  const arrived =
    waiting &&
    Object.entries(maps ?? {}).find(([, entry]) => entry.file === `maps/${waiting.file}`)?.[0]
  useEffect(() => {
    if (!waiting || !arrived) return
    commit(waiting.input, {
      ...PLAIN,
      value: null,
      map: arrived,
      channels: WIDE.includes(waiting.input) ? 'rgb' : 'r',
    })
    // eslint-disable-next-line react-hooks/set-state-in-effect -- the wait is over once the map has arrived
    setWaiting(null)
  }, [arrived, commit, waiting])
  return (input: InputName, file: File) => {
    setWaiting({ input, file: file.name })
    bringIn([file])
  }
}

/** Inputs beyond the seven, which extensions of glTF carry: a row appears once something feeds it. */
function MoreInputs({ sheet, add }: { sheet: InputName[]; add: (input: InputName) => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  // F0 belongs to the specular workflow, which is chosen in the settings.
  const left = EXTRA_INPUTS.filter((input) => !sheet.includes(input) && input !== 'f0')
  if (left.length === 0) return null
  return (
    <Box sx={{ padding: '8px 14px' }}>
      <button
        className="link"
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {labels.addInput}
      </button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {left.map((input) => (
          <MenuItem
            key={input}
            onClick={() => {
              setAnchor(null)
              add(input)
            }}
          >
            {INPUT_WORDS[input].name}
          </MenuItem>
        ))}
      </Menu>
    </Box>
  )
}
