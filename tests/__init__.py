"""Tests over the public interface, the command line and the samples.

Property tests take the same examples every time, so that a change is to blame when one fails; with GLOSSA_EXPLORE set
they look for new ones.
"""

import os

from hypothesis import settings

settings.register_profile("fixed", derandomize=True, deadline=None)
settings.register_profile("explore", deadline=None)
settings.load_profile("explore" if os.environ.get("GLOSSA_EXPLORE") else "fixed")
