// Generated from the core by ./manage.py api_types. Do not edit.
export const INPUT_TABLE = {
  "base_color": {
    "label": "Base colour",
    "description": "colour",
    "default": [
      1.0,
      1.0,
      1.0
    ],
    "initial": [
      0.5,
      0.5,
      0.5
    ],
    "kind": "colour",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "metallic": {
    "label": "Metallic",
    "description": "0 or 1",
    "default": 0.0,
    "initial": 0.0,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "roughness": {
    "label": "Roughness",
    "description": "0 smooth – 1 rough",
    "default": 1.0,
    "initial": 0.5,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "normal": {
    "label": "Normal",
    "description": "tangent space",
    "default": [
      0.0,
      0.0,
      1.0
    ],
    "initial": [
      0.0,
      0.0,
      1.0
    ],
    "kind": "direction",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": 2.0,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "occlusion": {
    "label": "Occlusion",
    "description": "1 open – 0 closed",
    "default": 1.0,
    "initial": 1.0,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": 1.0,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "emission": {
    "label": "Emission",
    "description": "light",
    "default": [
      0.0,
      0.0,
      0.0
    ],
    "initial": [
      0.0,
      0.0,
      0.0
    ],
    "kind": "colour",
    "maximum": null,
    "slider": 1.0,
    "strength": 10.0,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "opacity": {
    "label": "Opacity",
    "description": "0 clear – 1 solid",
    "default": 1.0,
    "initial": 1.0,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "height": {
    "label": "Height",
    "description": "seen as depth",
    "default": 0.5,
    "initial": 0.5,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": 1.0,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "f0": {
    "label": "Specular (F0)",
    "description": "reflected at normal incidence",
    "default": [
      0.04,
      0.04,
      0.04
    ],
    "initial": [
      0.04,
      0.04,
      0.04
    ],
    "kind": "colour",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "ior": {
    "label": "Index of refraction",
    "description": "1.5 is usual",
    "default": 1.5,
    "initial": 1.5,
    "kind": "data",
    "maximum": null,
    "slider": 3.0,
    "strength": null,
    "extension": "KHR_materials_ior",
    "textured": false,
    "is_fraction": false
  },
  "specular": {
    "label": "Specular",
    "description": "0–1 of dielectrics",
    "default": 1.0,
    "initial": 1.0,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_specular",
    "textured": true,
    "is_fraction": true
  },
  "clearcoat": {
    "label": "Clear coat",
    "description": "0 none – 1 full",
    "default": 0.0,
    "initial": 1.0,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_clearcoat",
    "textured": true,
    "is_fraction": true
  },
  "clearcoat_roughness": {
    "label": "Coat roughness",
    "description": "0 smooth – 1 rough",
    "default": 0.0,
    "initial": 0.1,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_clearcoat",
    "textured": true,
    "is_fraction": true
  },
  "sheen": {
    "label": "Sheen",
    "description": "colour of cloth",
    "default": [
      0.0,
      0.0,
      0.0
    ],
    "initial": [
      0.5,
      0.5,
      0.5
    ],
    "kind": "colour",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_sheen",
    "textured": true,
    "is_fraction": true
  },
  "sheen_roughness": {
    "label": "Sheen roughness",
    "description": "0 smooth – 1 rough",
    "default": 0.0,
    "initial": 0.5,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_sheen",
    "textured": true,
    "is_fraction": true
  },
  "transmission": {
    "label": "Transmission",
    "description": "0 none – 1 clear",
    "default": 0.0,
    "initial": 1.0,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_transmission",
    "textured": true,
    "is_fraction": true
  },
  "thickness": {
    "label": "Thickness",
    "description": "metres",
    "default": 0.0,
    "initial": 0.01,
    "kind": "data",
    "maximum": null,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_volume",
    "textured": true,
    "is_fraction": false
  },
  "attenuation": {
    "label": "Attenuation colour",
    "description": "of light that went through",
    "default": [
      1.0,
      1.0,
      1.0
    ],
    "initial": [
      1.0,
      1.0,
      1.0
    ],
    "kind": "colour",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": "KHR_materials_volume",
    "textured": false,
    "is_fraction": true
  },
  "attenuation_distance": {
    "label": "Attenuation distance",
    "description": "metres until it has that colour",
    "default": 1.0,
    "initial": 1.0,
    "kind": "data",
    "maximum": null,
    "slider": 10.0,
    "strength": null,
    "extension": "KHR_materials_volume",
    "textured": false,
    "is_fraction": false
  },
  "subsurface": {
    "label": "Subsurface",
    "description": "0 none – 1 wholly",
    "default": 0.0,
    "initial": 0.5,
    "kind": "data",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "subsurface_color": {
    "label": "Subsurface colour",
    "description": "of light inside",
    "default": [
      1.0,
      1.0,
      1.0
    ],
    "initial": [
      0.8,
      0.3,
      0.2
    ],
    "kind": "colour",
    "maximum": 1.0,
    "slider": 1.0,
    "strength": null,
    "extension": null,
    "textured": true,
    "is_fraction": true
  },
  "subsurface_radius": {
    "label": "Subsurface radius",
    "description": "metres",
    "default": 0.01,
    "initial": 0.01,
    "kind": "data",
    "maximum": null,
    "slider": 0.1,
    "strength": null,
    "extension": null,
    "textured": false,
    "is_fraction": false
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

export const BAKE_SIZES = [
  256,
  512,
  1024,
  2048,
  4096
] as const

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
