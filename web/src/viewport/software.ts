type Drawing = 'card' | 'software' | 'none'

let known: Drawing | null = null

/** What draws WebGL 2 here: a graphics card, a processor in its place, for which each texel costs time, or nothing. */
export function drawing(): Drawing {
  if (known === null) {
    const context = document.createElement('canvas').getContext('webgl2')
    known = context === null ? 'none' : isSoftware(context) ? 'software' : 'card'
    context?.getExtension('WEBGL_lose_context')?.loseContext()
  }
  return known
}

function isSoftware(context: WebGL2RenderingContext): boolean {
  const told = context.getExtension('WEBGL_debug_renderer_info')
  const renderer = told ? String(context.getParameter(told.UNMASKED_RENDERER_WEBGL)) : ''
  return /swiftshader|llvmpipe|software/i.test(renderer)
}
