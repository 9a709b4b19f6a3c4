// What people read on the screens of `viewport`.
import type { Part } from './part'

export const labels = {
  dividerBetweenTheTwo: 'Divider between the two',
  varyingVec3DirectionVoidMainDirection:
    '\n  varying vec3 direction;\n  void main() {\n    direction = (modelMatrix * vec4(position, 0.0)).xyz;\n    gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);\n  }',
  varyingVec3DirectionUniformVec3Sky: (
    mOST_PANELS: Part,
    mOST_PANELS2: Part,
    mOST_PANELS3: Part,
    mOST_PANELS4: Part,
    pANEL_EDGE: Part,
  ) => `
  varying vec3 direction;
  uniform vec3 sky;
  uniform vec3 towards[${mOST_PANELS}];
  uniform float cosine[${mOST_PANELS2}];
  uniform vec3 radiance[${mOST_PANELS3}];
  void main() {
    vec3 from = normalize(direction);
    vec3 found = sky;
    for (int i = 0; i < ${mOST_PANELS4}; i++) {
      float rise = ${pANEL_EDGE} * (1.0 - cosine[i]) + 1e-6;
      found += clamp((dot(from, towards[i]) - cosine[i]) / rise, 0.0, 1.0) * radiance[i];
    }
    gl_FragColor = vec4(found, 1.0);
  }`,
  panoramaOfTheProject: 'Panorama of the project',
  noneTheLightSetUps: 'none, the light set-ups',
  lightFromAPictureOfAll: 'Light from a picture of all directions: Radiance HDR or EXR',
  anotherPanorama: 'Another panorama…',
  aPanoramaOfYourOwn: 'A panorama of your own…',
  panoramaForTheStage: 'Panorama for the stage',
  bringItInAsAMap:
    'Bring it in as a map, so that it is there after a reload, for others, and for the scene',
  keepWithProject: 'Keep with project',
  without: 'Without',
  attributeFloatNumberFlatVaryingFloat:
    '\n    attribute float number;\n    flat varying float face;\n    void main() {\n      face = number;\n      gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);\n    }',
  flatVaryingFloatFaceVoidMain:
    '\n    flat varying float face;\n    void main() {\n      float high = floor(face / 65536.0);\n      float middle = floor((face - high * 65536.0) / 256.0);\n      gl_FragColor = vec4(mod(face, 256.0), middle, high, 255.0) / 255.0;\n    }',
  thisCouldNotBeDrawn: (problemMessage: Part) => `This could not be drawn: ${problemMessage}`,
  thisBrowserDrawsNothingIn3d:
    'This browser draws nothing in 3D: WebGL 2 is off or missing. Turn hardware acceleration on, or use another browser. ',
  everythingBesideTheStageWorksWithout: 'Everything beside the stage works without it.',
  mapsAreOnTheirWay: 'Maps are on their way …',
  light: 'Light',
  litByNotByTheSet: (panorama: Part) => `Lit by ${panorama}, not by the set-up`,
  panorama: 'panorama',
  brightLightIsTonedDownColours: 'Bright light is toned down: colours are not exact',
  tonedDown: '△ toned down',
  theGraphicsDriverWasResetWhat:
    'The graphics driver was reset. What stands here is drawn anew as soon as it is back.',
  turnWhatStandsOnTheStage: 'Turn what stands on the stage by itself',
  turntable: 'Turntable',
  voidMainGlPositionProjectionmatrixModelviewmatrix:
    'void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }',
  uniformVec3PlainUniformVec3Stripe:
    '\n  uniform vec3 plain;\n  uniform vec3 stripe;\n  void main() {\n    float across = fract((gl_FragCoord.x + gl_FragCoord.y) / 12.0);\n    gl_FragColor = vec4(across < 0.3 ? stripe : plain, 1.0);\n    #include <colorspace_fragment>\n  }\n',
  howTheStageLooksBrightnessTurn:
    'How the stage looks: brightness, turn of the light, background, wires',
  look: 'Look…',
  brightness: 'Brightness',
  lightFrom: 'Light from',
  turning: 'Turning',
  height: 'Height',
  background: 'Background',
  wireframe: 'Wireframe',
  backFacesMarked: 'Back faces marked',
  checkerOneSquareATenthOf: 'Checker, one square a tenth of the UVs',
  lampsThrowShadows: 'Lamps throw shadows',
  referenceChartBesideIt: 'Reference chart beside it',
  brightLightTonedDownToneMapping: 'Bright light toned down (tone mapping)',
  brightnessLightBackgroundAndMarksAs:
    'Brightness, light, background and marks as they were at first',
  backToUsual: 'Back to usual',
} as const
