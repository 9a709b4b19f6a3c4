"""What the test runner says at the end of a run."""

from __future__ import annotations

import io
import unittest
from unittest import TestCase

from tests.runner import Result, label_of, summary


def outcome() -> dict:
    """The outcome of a small suite in which everything happens once."""

    class Some(unittest.TestCase):
        def test_fails(self) -> None:
            self.assertEqual(1, 2, "one is two")

        def test_fails_in_parts(self) -> None:
            for part in range(3):
                with self.subTest(part=part):
                    self.assertEqual(part, 1)

        def test_is_skipped(self) -> None:
            self.skipTest("not here")

        def test_passes(self) -> None:
            pass

    class NotSetUp(unittest.TestCase):
        @classmethod
        def setUpClass(cls) -> None:
            raise OSError("no place")

        def test_never_runs(self) -> None:
            pass

    suite = unittest.TestSuite()
    for case in (Some, NotSetUp):
        suite.addTests(unittest.defaultTestLoader.loadTestsFromTestCase(case))
    runner = unittest.TextTestRunner(io.StringIO(), resultclass=Result, verbosity=0)
    result = runner.run(suite)
    assert isinstance(result, Result)
    return result.told()


class Summary(TestCase):
    def test_it_counts_and_says_how_to_repeat_what_failed(self) -> None:
        told = outcome()
        self.assertEqual((told["passed"], told["skipped"], len(told["failed"])), (1, 1, 3))
        self.assertEqual(len(told["seconds"]), 4)
        text = summary([told, told | {"failed": {}}])
        self.assertTrue(text.endswith("2 passed, 3 failed, 2 skipped"), text)
        where = f"{__name__}.outcome.<locals>"
        self.assertIn(
            f"FAILED {where}.Some.test_fails\n  AssertionError: 1 != 2 : one is two", text
        )
        self.assertIn(f"again: ./run test {where}.NotSetUp\n", text)

    def test_a_part_is_repeated_as_a_whole(self) -> None:
        self.assertEqual(label_of(self), f"{__name__}.Summary.{self._testMethodName}")
