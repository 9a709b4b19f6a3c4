// Generated from the core by ./manage.py api_types. Do not edit.
export const INPUT_TABLE = {
  "base_color": {
    "label": "Base colour",
    "unit": "colour",
    "default": [
      1.0,
      1.0,
      1.0
    ],
    "first": [
      0.5,
      0.5,
      0.5
    ],
    "kind": "colour",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "share": true
  },
  "metallic": {
    "label": "Metallic",
    "unit": "0 or 1",
    "default": 0.0,
    "first": 0.0,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "share": true
  },
  "roughness": {
    "label": "Roughness",
    "unit": "0 smooth – 1 rough",
    "default": 1.0,
    "first": 0.5,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "share": true
  },
  "normal": {
    "label": "Normal",
    "unit": "tangent space",
    "default": [
      0.0,
      0.0,
      1.0
    ],
    "first": [
      0.0,
      0.0,
      1.0
    ],
    "kind": "direction",
    "most": 1.0,
    "slider": 1.0,
    "strength": 2.0,
    "extension": null,
    "textured": true,
    "share": true
  },
  "occlusion": {
    "label": "Occlusion",
    "unit": "1 open – 0 closed",
    "default": 1.0,
    "first": 1.0,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": 1.0,
    "extension": null,
    "textured": true,
    "share": true
  },
  "emission": {
    "label": "Emission",
    "unit": "light",
    "default": [
      0.0,
      0.0,
      0.0
    ],
    "first": [
      0.0,
      0.0,
      0.0
    ],
    "kind": "colour",
    "most": null,
    "slider": 1.0,
    "strength": 10.0,
    "extension": null,
    "textured": true,
    "share": true
  },
  "opacity": {
    "label": "Opacity",
    "unit": "0 clear – 1 solid",
    "default": 1.0,
    "first": 1.0,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "share": true
  },
  "height": {
    "label": "Height",
    "unit": "seen as depth",
    "default": 0.5,
    "first": 0.5,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": 1.0,
    "extension": null,
    "textured": true,
    "share": true
  },
  "f0": {
    "label": "Specular (F0)",
    "unit": "reflected at normal incidence",
    "default": [
      0.04,
      0.04,
      0.04
    ],
    "first": [
      0.04,
      0.04,
      0.04
    ],
    "kind": "colour",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "share": true
  },
  "ior": {
    "label": "Index of refraction",
    "unit": "1.5 is usual",
    "default": 1.5,
    "first": 1.5,
    "kind": "data",
    "most": null,
    "slider": 3.0,
    "strength": null,
    "extension": "KHR_materials_ior",
    "textured": false,
    "share": false
  },
  "specular": {
    "label": "Specular",
    "unit": "0–1 of dielectrics",
    "default": 1.0,
    "first": 1.0,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_specular",
    "textured": true,
    "share": true
  },
  "clearcoat": {
    "label": "Clear coat",
    "unit": "0 none – 1 full",
    "default": 0.0,
    "first": 1.0,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_clearcoat",
    "textured": true,
    "share": true
  },
  "clearcoat_roughness": {
    "label": "Coat roughness",
    "unit": "0 smooth – 1 rough",
    "default": 0.0,
    "first": 0.1,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_clearcoat",
    "textured": true,
    "share": true
  },
  "sheen": {
    "label": "Sheen",
    "unit": "colour of cloth",
    "default": [
      0.0,
      0.0,
      0.0
    ],
    "first": [
      0.5,
      0.5,
      0.5
    ],
    "kind": "colour",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_sheen",
    "textured": true,
    "share": true
  },
  "sheen_roughness": {
    "label": "Sheen roughness",
    "unit": "0 smooth – 1 rough",
    "default": 0.0,
    "first": 0.5,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_sheen",
    "textured": true,
    "share": true
  },
  "transmission": {
    "label": "Transmission",
    "unit": "0 none – 1 clear",
    "default": 0.0,
    "first": 1.0,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_transmission",
    "textured": true,
    "share": true
  },
  "thickness": {
    "label": "Thickness",
    "unit": "metres",
    "default": 0.0,
    "first": 0.01,
    "kind": "data",
    "most": null,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_volume",
    "textured": true,
    "share": false
  },
  "attenuation": {
    "label": "Attenuation colour",
    "unit": "of light that went through",
    "default": [
      1.0,
      1.0,
      1.0
    ],
    "first": [
      1.0,
      1.0,
      1.0
    ],
    "kind": "colour",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_volume",
    "textured": false,
    "share": true
  },
  "attenuation_distance": {
    "label": "Attenuation distance",
    "unit": "metres until it has that colour",
    "default": 1.0,
    "first": 1.0,
    "kind": "data",
    "most": null,
    "slider": 10.0,
    "strength": null,
    "extension": "KHR_materials_volume",
    "textured": false,
    "share": false
  },
  "subsurface": {
    "label": "Subsurface",
    "unit": "0 none – 1 wholly",
    "default": 0.0,
    "first": 0.5,
    "kind": "data",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "share": true
  },
  "subsurface_color": {
    "label": "Subsurface colour",
    "unit": "of light inside",
    "default": [
      1.0,
      1.0,
      1.0
    ],
    "first": [
      0.8,
      0.3,
      0.2
    ],
    "kind": "colour",
    "most": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "share": true
  },
  "subsurface_radius": {
    "label": "Subsurface radius",
    "unit": "metres",
    "default": 0.01,
    "first": 0.01,
    "kind": "data",
    "most": null,
    "slider": 0.1,
    "strength": null,
    "extension": null,
    "textured": false,
    "share": false
  }
} as const

export const UNCHANGED_ADJUSTMENTS = {
  "invert": false,
  "range_in": [
    0.0,
    1.0
  ],
  "gamma": 1.0,
  "contrast": 1.0,
  "multiply": 1.0,
  "offset": 0.0,
  "range": [
    0.0,
    1.0
  ],
  "hue": 0.0,
  "saturation": 1.0,
  "brightness": 1.0,
  "tint": [
    1.0,
    1.0,
    1.0
  ],
  "pivot": 0.5
} as const

export const CARRIES = [
  "base_color",
  "metallic",
  "roughness",
  "normal",
  "occlusion",
  "emission",
  "opacity",
  "height",
  "specular",
  "clearcoat",
  "clearcoat_roughness",
  "sheen",
  "sheen_roughness",
  "transmission",
  "thickness",
  "subsurface",
  "subsurface_color",
  "gloss",
  "smoothness",
  "diffuse"
] as const

export const OWN_SETTINGS = [
  "alpha_mode",
  "alpha_cutoff",
  "double_sided",
  "uv",
  "wrap",
  "filter",
  "shading",
  "workflow",
  "surface_tag",
  "covers",
  "size_limit"
] as const

export const LONGEST_NAME = 255 as const

export const COLOUR_ROLES = [
  "base_color",
  "emission",
  "specular",
  "subsurface"
] as const

export const PLAIN_GROUND = {
  "size": 20.0,
  "tile": 2.0
} as const

export const PLAIN_SUN = {
  "turn": 35.0,
  "height": 40.0,
  "strength": 3.0
} as const

export const STAGE_SIZES = {
  "quick": 256,
  "full": 1024
} as const

export const LINK_DAYS = 14 as const

export const KEY_DAYS = 90 as const

export const OVERLAP = 0.005 as const

export const PACKING_PRESETS = [
  [
    "occlusion",
    "roughness",
    "metallic"
  ],
  [
    "metallic",
    "roughness",
    "occlusion"
  ],
  [
    "roughness",
    "metallic",
    "occlusion"
  ],
  [
    "occlusion",
    "metallic",
    "roughness"
  ],
  [
    "roughness",
    "occlusion",
    "metallic"
  ],
  [
    "metallic",
    "occlusion",
    "roughness"
  ],
  [
    "occlusion",
    "roughness",
    "height"
  ],
  [
    "occlusion",
    "gloss",
    "metallic"
  ],
  [
    "metallic",
    "occlusion",
    "height",
    "gloss"
  ]
] as const

export const LIGHT_TABLE = {
  "overcast": {
    "label": "Overcast",
    "shows": "even light: colour and occlusion",
    "sky": [
      0.55,
      0.55,
      0.55
    ],
    "panels": [
      {
        "towards": [
          0,
          1,
          0
        ],
        "cosine": 0.1,
        "radiance": [
          0.75,
          0.75,
          0.75
        ]
      },
      {
        "towards": [
          0,
          -1,
          0
        ],
        "cosine": 0.2,
        "radiance": [
          -0.3,
          -0.3,
          -0.3
        ]
      }
    ],
    "lamps": []
  },
  "low-sun": {
    "label": "Low sun",
    "shows": "light from the side: normals and height",
    "sky": [
      0.16,
      0.2,
      0.3
    ],
    "panels": [
      {
        "towards": [
          0.5,
          0.8,
          0.4
        ],
        "cosine": 0.75,
        "radiance": [
          1.1,
          1.1,
          1.1
        ]
      },
      {
        "towards": [
          -0.9,
          0.25,
          0.4
        ],
        "cosine": 0.85,
        "radiance": [
          2.2,
          1.6,
          1.0
        ]
      }
    ],
    "lamps": [
      {
        "towards": [
          -4.0,
          1.3,
          2.2
        ],
        "irradiance": [
          3.2,
          2.5,
          1.7
        ]
      }
    ]
  },
  "points": {
    "label": "Bright points",
    "shows": "small lamps: roughness",
    "sky": [
      0.07,
      0.07,
      0.07
    ],
    "panels": [
      {
        "towards": [
          -4,
          6,
          3
        ],
        "cosine": 0.995,
        "radiance": [
          40,
          40,
          40
        ]
      },
      {
        "towards": [
          5,
          4,
          2
        ],
        "cosine": 0.995,
        "radiance": [
          40,
          40,
          40
        ]
      },
      {
        "towards": [
          1,
          7,
          -4
        ],
        "cosine": 0.995,
        "radiance": [
          30,
          30,
          30
        ]
      }
    ],
    "lamps": [
      {
        "towards": [
          -1.6,
          1.8,
          1.6
        ],
        "irradiance": [
          1.0,
          1.0,
          1.0
        ]
      },
      {
        "towards": [
          1.8,
          1.2,
          1.2
        ],
        "irradiance": [
          0.8,
          0.8,
          0.8
        ]
      }
    ]
  },
  "rim": {
    "label": "Dark, rim",
    "shows": "little light: emission",
    "sky": [
      0.008,
      0.008,
      0.008
    ],
    "panels": [
      {
        "towards": [
          6,
          4,
          -7
        ],
        "cosine": 0.93,
        "radiance": [
          1.3,
          1.7,
          2.4
        ]
      }
    ],
    "lamps": [
      {
        "towards": [
          2.5,
          1.5,
          -4.0
        ],
        "irradiance": [
          1.3,
          1.7,
          2.4
        ]
      }
    ]
  },
  "grey-room": {
    "label": "Plain walls",
    "shows": "bright walls and a ceiling: metal and colour",
    "sky": [
      0.3,
      0.3,
      0.3
    ],
    "panels": [
      {
        "towards": [
          0,
          1,
          0
        ],
        "cosine": 0.8,
        "radiance": [
          2.0,
          2.0,
          2.0
        ]
      },
      {
        "towards": [
          -1,
          0.2,
          0
        ],
        "cosine": 0.85,
        "radiance": [
          0.7,
          0.7,
          0.7
        ]
      },
      {
        "towards": [
          0,
          0.2,
          1
        ],
        "cosine": 0.85,
        "radiance": [
          0.5,
          0.5,
          0.5
        ]
      }
    ],
    "lamps": [
      {
        "towards": [
          2.0,
          4.0,
          3.0
        ],
        "irradiance": [
          0.8,
          0.8,
          0.8
        ]
      }
    ]
  }
} as const

export const PANEL_EDGE = 0.15 as const

export const FILTERED_LIGHTS = {
  "key": "f9cecb4fcce77b91",
  "size": 64,
  "levels": 4
} as const
