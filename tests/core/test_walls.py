"""What the stand-in engine loads when it is imported: nothing that wrote the package."""

from __future__ import annotations

import ast
import importlib
import re
import subprocess
import sys
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[2]
WRITERS = (
    "OpenImageIO",
    "MaterialX",
    "ektopos.images",
    "ektopos.maps",
    "ektopos.materials",
    "ektopos.meshes",
    "ektopos.edits",
    "ektopos.project",
    "ektopos.rendering",
    "ektopos.export.packing",
    "ektopos.export.write_package",
    "ektopos.export.writers.gltf",
    "ektopos.export.writers.loose",
    "ektopos.export.writers.usdz",
    "ektopos.export.plan",
)


class TheEngine(TestCase):
    def loaded(self, module: str) -> set[str]:
        script = f"import {module}, sys; print(*sys.modules)"
        out = subprocess.run(
            [sys.executable, "-c", script], cwd=ROOT, capture_output=True, text=True, check=True
        )
        return set(out.stdout.split())

    def test_importing_it_loads_nothing_of_the_writers(self) -> None:
        found = self.loaded("ektopos.trial.engine.importer")
        self.assertIn("pygltflib", found)
        self.assertEqual([name for name in WRITERS if name in found], [])

    def test_a_profile_alone_loads_no_packing(self) -> None:
        found = self.loaded("ektopos.export.profile")
        self.assertEqual([name for name in WRITERS if name in found], [])


class Functions(TestCase):
    def test_none_is_longer_than_a_page(self) -> None:
        longest = 60
        found = [
            f"{path.relative_to(ROOT)}: {node.name}, {node.end_lineno - node.lineno + 1} lines"
            for folder in ("ektopos", "server", "demo", "tests", "bench")
            for path in (ROOT / folder).rglob("*.py")
            for node in ast.walk(ast.parse(path.read_text()))
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
            and node.end_lineno is not None
            and node.end_lineno - node.lineno >= longest
        ]
        self.assertEqual(found, [])


class CodeInText(TestCase):
    """Code that a test or a measurement starts as a program of its own, which no type check sees."""

    def test_imports_what_there_is(self) -> None:
        imports = re.compile(r"\bfrom ((?:ektopos|server|tests|demo|bench)[\w.]*) import ([\w, ]+)")
        texts = [
            (path.name, node.value)
            for folder in ("tests", "bench", "demo", "ektopos", "server")
            for path in (ROOT / folder).rglob("*.py")
            for node in ast.walk(ast.parse(path.read_text()))
            if isinstance(node, ast.Constant) and isinstance(node.value, str)
        ]
        named = [
            (file, module, name.strip())
            for file, text in texts
            for module, names in imports.findall(text)
            for name in names.split(",")
        ]
        self.assertGreater(len(named), 10)
        missing = [where for where in named if not self.exists(*where[1:])]
        self.assertEqual(missing, [])

    def exists(self, module: str, name: str) -> bool:
        try:
            return hasattr(importlib.import_module(module), name) or bool(
                importlib.import_module(f"{module}.{name}")
            )
        except ImportError:
            return False
