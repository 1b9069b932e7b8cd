"""The command line: the same core without a window.  Each command is a module of ``commands``, loaded when asked for."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from importlib import import_module
from pathlib import Path

from bibulon import __version__
from bibulon.cli.commands import COMMANDS
from bibulon.cli.tongue import take_language
from bibulon.core.units.words import tr

__all__ = ["main"]


def _parser(asked: str) -> argparse.ArgumentParser:
    """Return the parser; only the command asked for is loaded, the others are known by name and summary."""
    parser = argparse.ArgumentParser(
        prog="bibulon", description=tr("Plan and run infusion and light RTM jobs.")
    )
    parser.add_argument("--version", action="version", version=tr("bibulon {}", __version__))
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    for name, summary in COMMANDS.items():
        sub = commands.add_parser(name, help=tr(summary), description=tr(summary))
        if name == asked:
            module = import_module(f"bibulon.cli.commands.{name.replace('-', '_')}")
            module.arguments(sub)
            sub.set_defaults(run=module.run)
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; return its exit code."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    take_language()
    # Without a command word, open the window; a file manager hands over just the file's path.
    if not words or (len(words) == 1 and not words[0].startswith("-") and Path(words[0]).is_file()):
        words = ["open", *words]
    asked = next((w for w in words if not w.startswith("-")), "")
    args = _parser(asked).parse_args(words)
    try:
        code = int(args.run(args))
        sys.stdout.flush()
        return code
    except BrokenPipeError:  # whoever reads has had enough, as head does
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except Exception as error:
        if not isinstance(error, (ValueError, OSError, *_expected())):
            raise
        print(tr("bibulon: {}", _sentence(error, getattr(args, "units", "metric"))), file=sys.stderr)
        return 2


def _sentence(error: Exception, units: str) -> str:
    """Return an error as one sentence for people, never as a library words it."""
    from bibulon.core.units.figures import worded
    from bibulon.store.salvage import plainly

    if isinstance(error, OSError):
        text = f"{error.filename or 'The file'}: {error.strerror or error}"
    else:
        text = worded(plainly(error), "us" if units == "us" else "metric")
    return " ".join(text.split())


def _expected() -> tuple[type[Exception], ...]:
    """Return the errors that are told in a sentence; those of modules that were not loaded cannot have been raised."""
    known = {
        "bibulon.core.flow.fill.filling": "FillError",
        "bibulon.store.salvage": "JobFileError",
        "bibulon.store.imports.gaugelog": "LogError",
        "bibulon.core.flow.build.builder": "BuildError",
    }
    return tuple(getattr(sys.modules[m], name) for m, name in known.items() if m in sys.modules)
