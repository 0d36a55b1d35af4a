"""Begins a process of the service: ``python -m gradumen.run.begin gradumen.run.api``."""

import gc
import importlib
import sys

if __name__ == "__main__":
    # While its parts are loaded nothing of them is garbage: looking for it took a third of that time.
    gc.disable()
    part = importlib.import_module(sys.argv[1])
    gc.freeze()
    gc.enable()
    part.main()
