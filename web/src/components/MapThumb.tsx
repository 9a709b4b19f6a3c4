import { Picture } from './Picture'

interface Props {
  /** The hash of the map's file; without one a square keeps its room. */
  sha256: string | null | undefined
  side: number
}

/** A map as a small square, beside its name: it says nothing that the name does not. */
export function MapThumb({ sha256, side }: Props) {
  if (!sha256) return <span className="thumb" style={{ width: side, height: side }} />
  return (
    <Picture
      className="thumb"
      src={`/api/map-pictures/${sha256}/rgb/128.png`}
      width={side}
      height={side}
      alt=""
      loading="lazy"
    />
  )
}
