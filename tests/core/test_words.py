"""One spelling for one thing, wherever a person reads it: the screens, the guide, what commands and
checks say."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[2]
OTHERS = {
    r"\bbase color\b": "base colour",
    r"\bgr[a]y(scale)?\b": "grey",
    r"\b(tris|polys)\b": "triangles",
    r"\btexels per meter\b|\bmeters?\b": "metre",
    r"\bnormalmap\b": "normal map",
    r"\b1 (slots|maps|sets|materials|meshes|faces|triangles|texels|files|findings)\b": "one of it",
    r"\bambient occlusion\b|\bAO\b": "occlusion",
}
FORMER = {
    r"\b[Bb]r(ing|ought)( (it|both|them|the [a-z ]{1,20}))? in\b": "import",
    r"\b[Tt]ake (off|out|away)\b|\bTake it\b": "remove, or replace",
    r"\bLeave it\b": "ignore, or skip",
    r"\bwears\b|As worn": "has the material, or shaded",
    r"\bleaves as\b": "exported as",
    r"\b(a|the) cut-out\b|\bcut out\b|'see-through'": "mask, or blend",
    r"Must be mended|Good to know|Look at these|Left as they are": "errors, warnings, notes, ignored",
    r"Propose everything|palette square|We think|That is right|came in again": "the decided label",
    r"Stand a mesh|Stands at|Nothing stands": "add, position, empty",
    r"\bgreen turned round\b": "green flipped",
    r"\bset by hand\b": "set manually",
    r"\blost on the way\b": "lost",
    r"\bgive(n)? back\b": "reset to inherited",
    r"\bown values?\b": "override",
    r"\b[Aa]s usual\b|[Bb]ack to usual": "default, or reset",
    r"\b(is|are) worn\b|\bWorn\b(?! or)": "assigned",
    r"\b[Tt]hrow(s)? (its|a|the|on|shade)\b": "project, or cast",
    r"\bLies\b|\blie(s)? on it\b|\blaid on it\b": "placement, or applied",
    r"\b[Ww]hat it gives\b|\bWorking it out\b": "result, calculating",
    r"\b[Pp]ut (it )?(there|together)\b": "deliver, or group",
    r"\bName this state\b": "save checkpoint",
    r"\bunsure\b": "uncertain",
    r"\b[Bb]egin a\b": "new, or create",
    r"\bby themselves\b|\bBy itself\b": "automatically",
}
"""Words that screens, checks, reports and the guide had once."""


def sentences() -> Iterator[tuple[str, str]]:
    """Everything that is said: where, and what."""
    for path in (ROOT / "web/src/words").glob("*.ts"):
        text = re.sub(r"(?m)^\s*(//|\*|/\*).*$", "", path.read_text())
        for said in re.findall(r"'((?:[^'\n\\]|\\.)+)'|\"([^\"\n]+)\"|`([^`]+)`", text):
            yield path.name, re.sub(r"\$\{[^}]*\}", "…", " ".join(said))
    yield "guide.md", (ROOT / "docs/guide.md").read_text()
    for path in (*(ROOT / "ektopos").rglob("*.py"), *(ROOT / "server").rglob("*.py")):
        tree = ast.parse(path.read_text())
        docs = {
            id(node.body[0].value)
            for node in ast.walk(tree)
            if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef)
            and node.body
            and isinstance(node.body[0], ast.Expr)
        }
        for node in ast.walk(tree):
            is_text = isinstance(node, ast.Constant) and isinstance(node.value, str)
            if is_text and id(node) not in docs and " " in node.value:
                yield path.name, node.value


class Spelling(TestCase):
    def test_one_word_for_one_thing(self) -> None:
        count = 0
        for where, said in sentences():
            count += 1
            for other, word in OTHERS.items():
                with self.subTest(where, word=word):
                    self.assertIsNone(re.search(other, said), said[:200])
        self.assertGreater(count, 1500)

    def test_former_words_do_not_come_back(self) -> None:
        for where, said in sentences():
            for former, word in FORMER.items():
                with self.subTest(where, word=word):
                    self.assertIsNone(re.search(former, said), said[:200])

    def test_another_spelling_is_found(self) -> None:
        for wrong in ("the base color", "12 tris", "1 slots", "gray walls", "two meters", "AO"):
            self.assertTrue(any(re.search(other, wrong) for other in OTHERS), wrong)
        for wrong in (
            "Bring in…",
            "Take off",
            "As worn",
            "what it leaves as",
            "Leave it, because…",
        ):
            self.assertTrue(any(re.search(former, wrong) for former in FORMER), wrong)
