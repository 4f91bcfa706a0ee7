"""Going live: lines in, commands out, for months.

Sources take in what a recogniser heard, the :class:`Engine` runs the conversation, one :class:`Outbox` a link delivers, and
everything that happens is a :class:`Record`. :class:`Live` puts it together with threads and real clocks; the parts have
none, so that a month can be played in seconds.
"""

import logging

from glossa.live.ear import Ear, Told
from glossa.live.engine import Engine
from glossa.live.heard import Heard, read_heard
from glossa.live.listen import Live
from glossa.live.outbox import Order, Outbox, Result
from glossa.live.records import Record

logging.getLogger("glossa").addHandler(logging.NullHandler())  # quiet, unless somebody asks

__all__ = ["Ear", "Engine", "Heard", "Live", "Order", "Outbox", "Record", "Result", "Told", "read_heard"]
