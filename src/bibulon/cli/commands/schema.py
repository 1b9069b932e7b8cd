"""``bibulon schema``: the JSON Schema of a job document."""

from __future__ import annotations

import argparse
import json

from bibulon.store.raw import schema

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take nothing."""


def run(args: argparse.Namespace) -> int:
    """Print the schema."""
    print(json.dumps(schema(), indent=1))
    return 0
