"""How the benchmarks time things."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable


def median_ms(work: Callable[[int], object], runs: int = 9) -> float:
    """Median wall time in milliseconds; `work` gets the number of the run, so that no run finds
    another's cache."""
    times = []
    for run in range(runs):
        started = time.perf_counter()
        work(run)
        times.append(time.perf_counter() - started)
    return 1000 * statistics.median(times)
