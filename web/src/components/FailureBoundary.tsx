import { Button, Dialog, DialogActions } from '@mui/material'
import { Suspense, type ReactNode } from 'react'
import { ErrorBoundary } from 'react-error-boundary'

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
            <Button onClick={close}>Close</Button>
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
      <h1 id="failed">This cannot be shown</h1>
      <p>{sentence} What was saved is kept.</p>
      <Button variant="contained" onClick={() => window.location.reload()}>
        Load the page again
      </Button>
    </section>
  )
}

/** Browsers word a missing part of the program differently. */
function sentenceOf(problem: unknown): string {
  const message = problem instanceof Error ? problem.message : String(problem)
  return /dynamically imported module|module script|error loading/i.test(message)
    ? 'A part of the program could not be fetched: the server is out of reach, or newer than this page.'
    : `Something went wrong on this page (${message}).`
}
