"""The reference tangents, made by Node."""

from __future__ import annotations

import json
import subprocess

import numpy as np

from tests.outside.test_gltf import WEB


def mikktspace(positions: np.ndarray, normals: np.ndarray, uvs: np.ndarray) -> np.ndarray:
    """Tangents `(n, 4)` of triangles in their order. Source: npm package `mikktspace`, the
    reference implementation compiled to WebAssembly; v points up there."""
    script = (
        "import { readFileSync } from 'fs'; import { generateTangents } from 'mikktspace';"
        "const g = JSON.parse(readFileSync(0)); const f = (a) => new Float32Array(a);"
        "console.log(JSON.stringify(Array.from(generateTangents(f(g.p), f(g.n), f(g.t)))))"
    )
    given = {
        "p": positions.ravel().tolist(),
        "n": normals.ravel().tolist(),
        "t": uvs.ravel().tolist(),
    }
    done = subprocess.run(
        ["node", "--input-type=module", "-e", script],
        cwd=WEB,
        input=json.dumps(given),
        capture_output=True,
        text=True,
        check=True,
    )
    return np.array(json.loads(done.stdout), np.float32).reshape(-1, 4)
