"""Tests of all layers, through the real interface where there is one."""

import gc

# While tests and service are loaded nothing of them is garbage; `tests.conftest` ends that.
gc.disable()
