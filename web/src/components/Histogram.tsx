/** A histogram as bars; the square root of the share, so that small shares are still seen. */
export function Histogram({
  values,
  tone = 'ink2',
  width = 124,
  height = 32,
  words,
}: {
  values: number[]
  tone?: string
  width?: number
  height?: number
  words: string
}) {
  const top = Math.max(...values, 1e-9)
  const bar = width / values.length
  return (
    <svg
      width="100%"
      viewBox={`0 0 ${width} ${height}`}
      preserveAspectRatio="none"
      height={height}
      role="img"
      aria-label={words}
      style={{ display: 'block' }}
    >
      {values.map((value, index) => {
        const tall = Math.sqrt(value / top) * height
        return (
          value > 0 && (
            <rect
              key={index}
              x={index * bar}
              y={height - tall}
              width={Math.max(bar - 0.6, 0.6)}
              height={tall}
              fill={`var(--${tone})`}
            />
          )
        )
      })}
    </svg>
  )
}
