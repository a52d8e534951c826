"""Gumshoe: from "the engine light is on" to a repair that is proven."""

import os

# The arrays here are small: more threads of the linear algebra wait for each other longer than they work, most of all
# beside other threads of a server. It has to be said before numpy is first imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.2.0"
