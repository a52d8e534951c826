"""Stand-in vehicles: physics, wiring and a control unit that finds faults by itself.

Nothing here knows the reasoning's tables. A fault is put into the physics; whether a code appears is decided by
the stand-in control unit's own monitors.
"""

import os
import sys

if compiled := os.environ.get("GUMSHOE_COMPILED"):  # by tools/compile_simulator.py, for tests and benchmarks
    sys.path.append(compiled)
    __path__.insert(0, os.path.join(compiled, "gumshoe", "simulator"))
