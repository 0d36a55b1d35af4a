"""Benchmarks: each against the least that the work could cost, measured in the same run."""

import argparse
import json
import sys
from collections.abc import Callable
from typing import Any

import api
import balances
import catalogue
import close
import focus
import ingest
import kinds
import owners
import rating
import spend

import console

BENCHMARKS: dict[str, tuple[Callable[[int], dict[str, Any]], int]] = {
    "rating": (rating.run, 10_000_000),
    "ingest": (ingest.run, 200_000),
    "kinds": (kinds.run, 200_000),
    "owners": (owners.run, 200_000),
    "balances": (balances.run, 10_000_000),
    "catalogue": (catalogue.run, 1_000),
    "api": (api.run, 10_000),
    "close": (close.run, 10_000_000),
    "spend": (spend.run, 10_000_000),
    "focus": (focus.run, 1_000_000),
    "console": (console.run, 3),
}


def main() -> int:
    """Run one; one JSON line with --json, else the same for people."""
    parser = argparse.ArgumentParser(prog="scripts/bench", description=__doc__)
    parser.add_argument("name", choices=sorted(BENCHMARKS))
    parser.add_argument("--rows", type=int)
    parser.add_argument("--json", action="store_true")
    arguments = parser.parse_args()
    run, rows = BENCHMARKS[arguments.name]
    result = {"bench": arguments.name, **run(arguments.rows or rows)}
    if arguments.json:
        print(json.dumps(result))
    else:
        for name, value in result.items():
            print(f"{name:24} {value:,.3f}" if isinstance(value, float) else f"{name:24} {value}")
    return 0


sys.exit(main())
