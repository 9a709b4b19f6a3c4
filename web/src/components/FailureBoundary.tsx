import { Button, Dialog, DialogActions } from '@mui/material'
import { Suspense, type ReactNode } from 'react'
import { ErrorBoundary } from 'react-error-boundary'
import { labels } from '../words/components'

/** Keeps the rest of the page when a part of it fails or cannot be fetched: that is said, and how it comes back. It is tried
 * anew at another place. */
export function FailureBoundary({ place, children }: { place?: string; children: ReactNode }) {
  return (
    <ErrorBoundary
      resetKeys={[place]}
      fallbackRender={({ error }) => <Failed sentence={sentenceOf(error)} />}
    >
      {children}
    </ErrorBoundary>
  )
}

/** What opens over a screen, fetched only then: where that fails the screen stays, and the message can be closed. */
export function OverlayBoundary({ close, children }: { close: () => void; children: ReactNode }) {
  return (
    <ErrorBoundary
      fallbackRender={({ error }) => (
        <Dialog open onClose={close} aria-labelledby="failed">
          <Failed sentence={sentenceOf(error)} />
          <DialogActions>
            <Button onClick={close}>{labels.close}</Button>
          </DialogActions>
        </Dialog>
      )}
    >
      <Suspense fallback={null}>{children}</Suspense>
    </ErrorBoundary>
  )
}

function Failed({ sentence }: { sentence: string }) {
  return (
    <section className="empty" role="alert">
      <h1 id="failed">{labels.thisCannotBeShown}</h1>
      <p>{labels.whatWasSavedIsKept(sentence)}</p>
      <Button variant="contained" onClick={() => window.location.reload()}>
        {labels.loadThePageAgain}
      </Button>
    </section>
  )
}

/** Browsers word a missing part of the program differently. */
function sentenceOf(problem: unknown): string {
  const message = problem instanceof Error ? problem.message : String(problem)
  return /dynamically imported module|module script|error loading/i.test(message)
    ? labels.aPartOfTheProgramCould
    : labels.somethingWentWrongOnThisPage(message)
}
