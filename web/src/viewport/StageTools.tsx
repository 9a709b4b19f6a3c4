import { ViewMenu } from './ViewMenu'
import { useView } from './view'
import { labels } from '../words/viewport'

/** What every stage offers: turning, and how it looks. */
export function StageTools() {
  const { turning, setTurning } = useView()
  return (
    <>
      <button
        aria-pressed={turning}
        title={labels.turnWhatStandsOnTheStage}
        onClick={() => setTurning(!turning)}
      >
        {labels.turntable}
      </button>
      <ViewMenu />
    </>
  )
}
