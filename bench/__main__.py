"""Run the benchmarks named, or all that time something; `clients` and `kills` take minutes and are
run by their names, as are `pictures`, `screens` and `workers`."""

import importlib
import os
import sys
import tempfile

import ektopos.base.library_setup  # noqa: F401 — as all that starts a process

NAMES = (
    "checking",
    "commands",
    "compressing",
    "feed_change",
    "identify",
    "judging",
    "large",
    "matching",
    "million",
    "packing",
    "trial",
    "trial_mesh",
    "workflows",
)

if __name__ == "__main__":
    with tempfile.TemporaryDirectory(prefix="ektopos-bench-data-") as data:
        os.environ["EKTOPOS_DATA"] = data
        for name in sys.argv[1:] or NAMES:
            importlib.import_module(f"bench.{name}").run()
