import { ViewMenu } from './ViewMenu'
import { useView } from './view'

/** What every stage offers: turning, and how it looks. */
export function StageTools() {
  const { turning, setTurning } = useView()
  return (
    <>
      <button
        aria-pressed={turning}
        title="Turn what stands on the stage by itself"
        onClick={() => setTurning(!turning)}
      >
        Turntable
      </button>
      <ViewMenu />
    </>
  )
}
