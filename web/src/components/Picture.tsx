import { styled } from '@mui/material/styles'
import { useEffect, useState } from 'react'
import type { ImgHTMLAttributes } from 'react'
import { labels } from '../words/components'

const NoPicture = styled('span')({
  display: 'inline-grid',
  placeItems: 'center',
  background: 'var(--surface)',
  border: '1px dashed var(--strong)',
  color: 'var(--quiet)',
  fontSize: 9,
  lineHeight: 1.1,
  textAlign: 'center',
  overflow: 'hidden',
})

interface Props extends ImgHTMLAttributes<HTMLImageElement> {
  src: string
  alt: string
}

const TRIES = 3
const PAUSE = 1500

/** A picture that the server makes: seen to be on its way while it takes long, asked for again where it could not be had, and said in its place where it never can. */
export function Picture({ src, alt, className, style, ...others }: Props) {
  const [failed, setFailed] = useState({ src, times: 0, wait: false })
  if (failed.src !== src) setFailed({ src, times: 0, wait: false })
  const { times, wait } = failed
  const [here, setHere] = useState('')
  useEffect(() => {
    if (!wait) return
    const again = setTimeout(() => setFailed({ src, times, wait: false }), PAUSE * times)
    return () => clearTimeout(again)
  }, [src, times, wait])
  if (times > TRIES)
    return (
      <NoPicture
        className={`${className ?? ''}`}
        style={style}
        role="img"
        aria-label={labels.itCouldNotBeMade(alt || labels.picture)}
        title={labels.thisPictureCouldNotBeMade}
      >
        {labels.noPicture}
      </NoPicture>
    )
  return (
    <img
      {...others}
      // A class and not aria-busy: a picture of no meaning of its own may not have it.
      className={[className, here !== src && 'coming'].filter(Boolean).join(' ') || undefined}
      style={style}
      alt={alt}
      // While it waits to be asked for again there is nothing to ask for.
      src={wait ? undefined : times ? `${src}${src.includes('?') ? '&' : '?'}again=${times}` : src}
      onLoad={() => setHere(src)}
      onError={() => setFailed({ src, times: times + 1, wait: times < TRIES })}
    />
  )
}
