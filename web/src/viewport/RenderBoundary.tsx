import type { ReactNode } from 'react'
import { ErrorBoundary } from 'react-error-boundary'

import { useSharedCanvas } from './sharedCanvas'
import { labels } from '../words/viewport'

/** Says on the stage that something could not be drawn, while the rest of the page goes on. Something else is tried anew, be
 * it the children or what they draw. */
export function RenderBoundary({
  children,
  of = children,
}: {
  children: ReactNode
  of?: ReactNode
}) {
  const fail = useSharedCanvas((state) => state.fail)
  return (
    <ErrorBoundary
      fallback={null}
      resetKeys={[of]}
      onError={(problem) =>
        fail(
          'drawing',
          labels.thisCouldNotBeDrawn(problem instanceof Error ? problem.message : String(problem)),
        )
      }
      onReset={() => fail('drawing', null)}
    >
      {children}
    </ErrorBoundary>
  )
}
