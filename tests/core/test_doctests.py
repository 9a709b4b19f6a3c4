"""The examples in docstrings: formulas with the values that their sources give, or that a line of
arithmetic gives."""

from __future__ import annotations

import doctest
import importlib
import pkgutil
import unittest

import ektopos

AT_LEAST = 30
"""Functions that show what they give."""


def _suites() -> list[unittest.TestSuite]:
    modules = (
        importlib.import_module(found.name)
        for found in pkgutil.walk_packages(ektopos.__path__, "ektopos.")
        if not found.name.endswith("__main__")
    )
    return [doctest.DocTestSuite(module) for module in modules]


def load_tests(
    loader: unittest.TestLoader, tests: unittest.TestSuite, pattern: str | None
) -> unittest.TestSuite:
    tests.addTests(_suites())
    return tests


class Examples(unittest.TestCase):
    def test_there_are_as_many_as_promised(self) -> None:
        self.assertGreaterEqual(sum(suite.countTestCases() for suite in _suites()), AT_LEAST)
