/** Whether there is no graphics card behind a context: then less is drawn, for each texel costs a processor's time. */
export function drawnInSoftware(context: WebGLRenderingContext | WebGL2RenderingContext): boolean {
  const told = context.getExtension('WEBGL_debug_renderer_info')
  const renderer = told ? String(context.getParameter(told.UNMASKED_RENDERER_WEBGL)) : ''
  return /swiftshader|llvmpipe|software/i.test(renderer)
}

let known: boolean | null = null

/** Whether edges are smoothed on the stage: four samples a texel, which only a graphics card has to spare. */
export function smoothed(): boolean {
  if (known === null) {
    const context = document.createElement('canvas').getContext('webgl2')
    known = context !== null && !drawnInSoftware(context)
    context?.getExtension('WEBGL_lose_context')?.loseContext()
  }
  return known
}
