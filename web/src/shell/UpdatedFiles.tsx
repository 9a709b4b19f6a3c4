import {
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
import './updatedFiles.css'
import { labels } from '../words/shell'

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
    <section className="changed-bar" aria-label={labels.updatedFiles}>
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
    </section>
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
      <DialogContent className="changed-files">
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
                  <span className="thumb letters" style={{ width: 36, height: 36 }} aria-hidden>
                    △
                  </span>
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
      </DialogContent>
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
  const asked = useOfferEffect(offer.id)
  const effect = asked.data
  const [apart, setApart] = useState(false)
  return (
    <section aria-label={labels.whatChangesWith(offer.name)}>
      {offer.kind === 'map' && offer.before.sha256 && (
        <div>
          {apart ? (
            <figure>
              <div className="divided">
                <Picture
                  src={`/api/map-differences/${offer.before.sha256}/${offer.after.sha256}/512.png`}
                  alt={labels.whereIsOtherwiseTheLargestDifference(offer.name)}
                />
              </div>
              <figcaption className="small">{labels.theLargestDifferenceIsWhite}</figcaption>
            </figure>
          ) : (
            <Split
              left={side(offer.before.sha256, labels.current(offer.name), 'current')}
              right={side(offer.after.sha256, labels.new(offer.name), 'new')}
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
      )}
      {asked.isError && <p className="brick">{asked.error.message}</p>}
      {!effect && !asked.isError && <LinearProgress aria-label={labels.lookingAtWhatChanges} />}
      {effect && (
        <table className="numbers-table" aria-label={labels.whatChanges}>
          <tbody>
            {effect.problem && (
              <Row name={labels.cannotBeTaken}>
                <span className="brick">! {effect.problem}</span>
              </Row>
            )}
            {offer.before.size !== offer.after.size ? (
              <Row name="size">
                <span className="mono">{offer.before.size}</span> {labels.becomes}{' '}
                <span className="mono">{offer.after.size}</span>
              </Row>
            ) : (
              offer.after.size && (
                <Row name="size">
                  <span className="mono">{offer.after.size}</span>
                  {labels.asBefore}
                </Row>
              )
            )}
            {effect.changed != null && (
              <Row name={labels.texelsChanged}>
                <span className="mono">{(effect.changed * 100).toFixed(1)} %</span>
              </Row>
            )}
            <Row name={offer.kind === 'map' ? 'feeds' : labels.slotsThen}>
              {effect.feeds.join(', ') || 'nothing'}
            </Row>
            <Row name={labels.affectedExports}>{effect.leaving.join(', ') || 'none'}</Row>
            {effect.notes.map((note) => (
              <Row key={note} name="note">
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
      )}
    </section>
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
