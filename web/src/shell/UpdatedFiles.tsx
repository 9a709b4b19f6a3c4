import { styled } from '@mui/material/styles'
import { ChangedBar } from './styles'
import { Divided } from '../components/styles'
import {
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  LinearProgress,
} from '@mui/material'
import { useState } from 'react'

import { useDecide } from '../api/changes'
import { useOfferEffect, useOffers } from '../api/queries'
import type { Finding, Offer } from '../api/types'
import { Split } from '../components/Split'
import { MapThumb } from '../components/MapThumb'
import { Picture } from '../components/Picture'
import { ago, count } from '../words'
import { labels } from '../words/shell'

const ChangedFilesBox = styled(DialogContent)({
  display: 'grid',
  gridTemplateColumns: '260px minmax(0, 1fr)',
  gap: 20,
  '& ul': {
    listStyle: 'none',
    margin: 0,
    padding: 0,
  },
  '& li': {
    borderBottom: '1px solid var(--line)',
  },
  '& li .plain': {
    width: '100%',
    padding: 6,
  },
  '& li .plain[aria-current="true"]': {
    background: 'var(--accentWash)',
  },
  '& > section': {
    display: 'grid',
    gridTemplateColumns: 'minmax(0, 400px) minmax(0, 1fr)',
    gap: 20,
    alignItems: 'start',
  },
  '& > section > table:only-child': {
    gridColumn: 'span 2',
  },
  '& figure': {
    margin: 0,
  },
  '& figure img': {
    width: '100%',
    display: 'block',
  },
  '& .numbers-table th': {
    width: 130,
  },
})

type Decide = (what: 'take' | 'keep-both' | 'leave', offers: Offer[]) => void

interface Props {
  offers: Offer[]
  decide: Decide
  close: () => void
}

/** One line while files wait that came in under names that are here already. */
export function UpdatedFiles() {
  const [decided, setDecided] = useState<number[]>([])
  const offers = (useOffers().data ?? []).filter((offer) => !decided.includes(offer.id))
  const [open, setOpen] = useState(false)
  const send = useDecide()
  const decide: Decide = (what, chosen) => {
    const ids = chosen.map((offer) => offer.id)
    // What is decided is gone at once, and back if it was refused.
    setDecided((before) => [...before, ...ids])
    void send(what, chosen).then((project) => {
      if (!project) setDecided((before) => before.filter((id) => !ids.includes(id)))
    })
  }
  if (offers.length === 0) return null
  return (
    <ChangedBar aria-label={labels.updatedFiles}>
      <b className="amber">△ {count(offers.length, labels.updatedFile)}</b>
      <span className="small grow ellipsis">
        {labels.reviewBeforeReplacing(
          offers.map((offer) => offer.name).join(', '),
          offers.length === 1 ? labels.hasANewVersion : labels.haveNewVersions,
        )}
      </span>
      <Button variant="contained" onClick={() => setOpen(true)}>
        {labels.review}
      </Button>
      <Button onClick={() => decide('take', offers)}>
        {offers.length === 1 ? labels.replace : labels.replaceAll(offers.length)}
      </Button>
      {open && <ChangedFiles offers={offers} decide={decide} close={() => setOpen(false)} />}
    </ChangedBar>
  )
}

/** What has changed, one by one, with what taking it would change. */
function ChangedFiles({ offers, decide, close }: Props) {
  const [wanted, setWanted] = useState<number | null>(null)
  const chosen = offers.find((offer) => offer.id === wanted) ?? offers[0]
  if (!chosen) return null
  return (
    <Dialog open onClose={close} maxWidth="lg" fullWidth>
      <DialogTitle>{count(offers.length, labels.updatedFile)}</DialogTitle>
      <ChangedFilesBox>
        <ul aria-label={labels.updatedFiles}>
          {offers.map((offer) => (
            <li key={offer.id}>
              <button
                className="plain row"
                aria-current={offer === chosen}
                onClick={() => setWanted(offer.id)}
              >
                {offer.kind === 'map' ? (
                  <MapThumb sha256={offer.after.sha256} side={36} />
                ) : (
                  <Box
                    component="span"
                    className="thumb letters"
                    sx={{ width: 36, height: 36 }}
                    aria-hidden
                  >
                    △
                  </Box>
                )}
                <span className="grow ellipsis">
                  <b>{offer.name}</b>
                  <br />
                  <span className="small" title={offer.path}>
                    {offer.path} · {ago(offer.made)}
                  </span>
                </span>
              </button>
            </li>
          ))}
        </ul>
        <OfferView key={chosen.id} offer={chosen} />
      </ChangedFilesBox>
      <DialogActions>
        <Button onClick={() => decide('leave', [chosen])}>{labels.skip}</Button>
        <Button onClick={() => decide('keep-both', [chosen])}>{labels.keepBoth}</Button>
        <span className="grow" />
        {offers.length > 1 && (
          <Button onClick={() => decide('take', offers)}>{labels.takeAll(offers.length)}</Button>
        )}
        <Button variant="contained" onClick={() => decide('take', [chosen])}>
          {labels.replace}
        </Button>
        <Button onClick={close}>{labels.close}</Button>
      </DialogActions>
    </Dialog>
  )
}

function OfferView({ offer }: { offer: Offer }) {
  const { data: effect, error } = useOfferEffect(offer.id)
  const { before, after } = offer
  return (
    <section aria-label={labels.whatChangesWith(offer.name)}>
      {offer.kind === 'map' && before.sha256 && (
        <MapVersions name={offer.name} before={before.sha256} after={after.sha256} />
      )}
      {error && <p className="brick">{error.message}</p>}
      {!effect && !error && <LinearProgress aria-label={labels.lookingAtWhatChanges} />}
      {effect && <Effects offer={offer} effect={effect} />}
    </section>
  )
}

interface Versions {
  name: string
  before: string
  after: string
}

/** Both versions of a map under a divider, or where they differ. */
function MapVersions({ name, before, after }: Versions) {
  const [apart, setApart] = useState(false)
  return (
    <div>
      {apart ? (
        <figure>
          <Divided>
            <Picture
              src={`/api/map-differences/${before}/${after}/512.png`}
              alt={labels.whereIsOtherwiseTheLargestDifference(name)}
            />
          </Divided>
          <figcaption className="small">{labels.theLargestDifferenceIsWhite}</figcaption>
        </figure>
      ) : (
        <Split
          left={side(before, labels.current(name), labels.wordCurrent)}
          right={side(after, labels.new(name), labels.wordNew)}
        />
      )}
      <div className="row" role="group" aria-label={labels.shown}>
        <Button aria-pressed={!apart} onClick={() => setApart(false)}>
          {labels.both}
        </Button>
        <Button aria-pressed={apart} onClick={() => setApart(true)}>
          {labels.difference}
        </Button>
      </div>
    </div>
  )
}

type Effect = NonNullable<ReturnType<typeof useOfferEffect>['data']>

/** What changes in the project when the new file takes the place of the old one. */
function Effects({ offer, effect }: { offer: Offer; effect: Effect }) {
  return (
    <table className="numbers-table" aria-label={labels.whatChanges}>
      <tbody>
        {effect.problem && (
          <Row name={labels.cannotBeTaken}>
            <span className="brick">! {effect.problem}</span>
          </Row>
        )}
        <Sizes before={offer.before.size} after={offer.after.size} />
        {effect.changed != null && (
          <Row name={labels.texelsChanged}>
            <span className="mono">{(effect.changed * 100).toFixed(1)} %</span>
          </Row>
        )}
        <Row name={offer.kind === 'map' ? labels.wordFeeds : labels.slotsThen}>
          {effect.feeds.join(', ') || labels.wordNothing}
        </Row>
        <Row name={labels.affectedExports}>{effect.leaving.join(', ') || labels.wordNone}</Row>
        {effect.notes.map((note) => (
          <Row key={note} name={labels.wordNote}>
            {note}
          </Row>
        ))}
        <Row name={labels.newFindings}>
          <Findings of={effect.come} none={labels.nothingNew} />
        </Row>
        <Row name={labels.resolvedFindings}>
          <Findings of={effect.go} none="–" />
        </Row>
      </tbody>
    </table>
  )
}

function Sizes({ before, after }: { before: string | null; after: string | null }) {
  if (before === after && !after) return null
  return (
    <Row name={labels.wordSize}>
      {before !== after && (
        <>
          <span className="mono">{before}</span> {labels.becomes}{' '}
        </>
      )}
      <span className="mono">{after}</span>
      {before === after && labels.asBefore}
    </Row>
  )
}

const side = (sha256: string, alt: string, words: string) => ({
  src: `/api/map-pictures/${sha256}/rgb/512.png`,
  alt,
  words,
})

function Row({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <tr>
      <th scope="row">{name}</th>
      <td>{children}</td>
    </tr>
  )
}

function Findings({ of, none }: { of: Finding[]; none: string }) {
  if (of.length === 0) return none
  return of.map((finding) => (
    <div key={`${finding.code} ${finding.subject}`}>
      {finding.severity === 'error' ? '!' : finding.severity === 'warning' ? '△' : '·'}{' '}
      {finding.title} <span className="small">{finding.subject}</span>
    </div>
  ))
}
