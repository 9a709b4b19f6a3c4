type Drawing = 'card' | 'software' | 'none'

let known: Drawing | null = null

/** What draws WebGL 2 here: a graphics card, a processor in its place, or nothing. */
export function drawing(): Drawing {
  if (known === null) {
    const context = document.createElement('canvas').getContext('webgl2')
    known = context === null ? 'none' : drawnInSoftware(context) ? 'software' : 'card'
    context?.getExtension('WEBGL_lose_context')?.loseContext()
  }
  return known
}

/** Whether there is no graphics card behind a context: then less is drawn, for each texel costs a processor's time. */
export function drawnInSoftware(context: WebGLRenderingContext | WebGL2RenderingContext): boolean {
  const told = context.getExtension('WEBGL_debug_renderer_info')
  const renderer = told ? String(context.getParameter(told.UNMASKED_RENDERER_WEBGL)) : ''
  return /swiftshader|llvmpipe|software/i.test(renderer)
}
