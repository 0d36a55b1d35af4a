"""Begins a process of the service: ``python -m gradumen.run.begin gradumen.run.api``."""

import gc
import importlib
import sys
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def loading() -> Iterator[None]:
    """While parts are loaded nothing of them is garbage: looking for it took a third of that time."""
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()


if __name__ == "__main__":
    with loading():
        part = importlib.import_module(sys.argv[1])
    part.main()
