"""The command line: everything the core computes, as JSON or as lines for people.

Exit codes: 0 fine; 1 findings of severity error, or a failed trial; 2 bad input, said in one line
on stderr.
"""

from __future__ import annotations

import argparse
import importlib
import sys
import warnings
from typing import NoReturn

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.cli.answers import BAD, FOUND, Outcome, as_json, missing_finding, print_error

COMMANDS = (
    *("identify", "mesh", "match", "check", "export", "follow"),
    *("restore", "trial", "adopt", "occlusion", "scene", "targets"),
)
"""One module each, with `HELP`, `add_arguments` and `run`. They import what they need where they
need it: loading all of the core takes longer than many commands do."""


def main(arguments: list[str] | None = None) -> int:
    """Run one command and give its exit code."""
    # Wild numbers in files are judged by what comes of them; what NumPy says of them is no answer.
    warnings.filterwarnings("ignore", category=RuntimeWarning)
    arguments = sys.argv[1:] if arguments is None else arguments
    _Parser.json = "--json" in arguments
    options = _parser().parse_args(arguments)
    try:
        outcome: Outcome = options.run(options)
    except EktoposError as problem:
        return _refused(problem, as_json_too=options.json)
    except (OSError, MemoryError) as problem:
        print(f"ektopos: {problem}", file=sys.stderr)
        if options.json:
            print_error(str(problem))
        return BAD
    except KeyboardInterrupt:
        print("ektopos: stopped; nothing was changed.", file=sys.stderr)
        return BAD
    return _answered(outcome, as_json_wanted=options.json)


def _refused(problem: EktoposError, *, as_json_too: bool) -> int:
    print(f"ektopos: {problem}", file=sys.stderr)
    if as_json_too and isinstance(problem, MissingReference):
        print(as_json([missing_finding(problem)]), flush=True)
    elif as_json_too:
        print_error(problem.message, problem.subject, problem.hint)
    return FOUND if isinstance(problem, MissingReference) else BAD


def _answered(outcome: Outcome, *, as_json_wanted: bool) -> int:
    result, code, lines = outcome
    if code == BAD:
        print(f"ektopos: {lines[0]}", file=sys.stderr)
    answer = as_json(result) if as_json_wanted else "\n".join(lines)
    try:
        if answer:
            print(answer, flush=True)
    except BrokenPipeError:
        pass  # Whoever asked has seen enough.
    except OSError as problem:
        print(f"ektopos: the answer cannot be written ({problem.strerror}).", file=sys.stderr)
        return BAD
    return code


class _Parser(argparse.ArgumentParser):
    json = False
    """Whether the answer was asked for as JSON, known before anything is understood."""

    def error(self, message: str) -> NoReturn:
        """Bad input is one line on stderr here, without the usage above it."""
        print(f"ektopos: {message}. Ask for --help.", file=sys.stderr)
        if _Parser.json:
            print_error(f"{message}.", hint="Ask for --help.")
        raise SystemExit(BAD)


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="ektopos", description="Real-time materials, and proof that they arrive.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    for name in COMMANDS:
        command = importlib.import_module(f"ektopos.cli.{name}")
        sub = commands.add_parser(name, help=command.HELP, description=command.HELP)
        sub.add_argument("--json", action="store_true", help="JSON on stdout, nothing else")
        command.add_arguments(sub)
        sub.set_defaults(run=command.run)
    return parser


if __name__ == "__main__":
    sys.exit(main())
