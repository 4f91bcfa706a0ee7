"""Tests over the public interface, the command line and the samples.

Property tests take the same examples every time, so that a change is to blame when one fails; with GLOSSA_EXPLORE set
they look for new ones.
"""

import os
import sys
from pathlib import Path

from hypothesis import settings

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "scripts"), str(ROOT / "benchmarks")]

settings.register_profile("fixed", derandomize=True, deadline=None, max_examples=200 if os.environ.get("GLOSSA_PROOF") else 50)
settings.register_profile("explore", deadline=None)
settings.load_profile("explore" if os.environ.get("GLOSSA_EXPLORE") else "fixed")
