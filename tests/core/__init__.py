"""Tests of the core: plain unittest, no Django. Run alone: python -m unittest discover -t . -s tests/core."""

import logging

logging.getLogger("isotp").setLevel(logging.CRITICAL)
