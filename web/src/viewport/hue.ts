// What is brighter than white keeps its hue: scaled to white as a whole, as the core's pictures are
// (`ektopos/rendering/render.py`, `picture`). The library has a place for a curve of one's own.
import { ShaderChunk } from 'three'

const PLACE = 'vec3 CustomToneMapping( vec3 color ) { return color; }'
import { labels } from '../words/viewport'

if (!ShaderChunk.tonemapping_pars_fragment.includes(PLACE))
  throw new Error(labels.theLibraryHasNoPlace)
ShaderChunk.tonemapping_pars_fragment = ShaderChunk.tonemapping_pars_fragment.replace(
  PLACE,
  `vec3 CustomToneMapping( vec3 color ) {
    color *= toneMappingExposure;
    return color / max( 1.0, max( color.r, max( color.g, color.b ) ) );
  }`,
)
