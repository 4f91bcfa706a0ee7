"""Tables of what was heard and what must come of it -> results."""

from glossa.trials.measures import Measure, frame, measures
from glossa.trials.run import Result, run_table
from glossa.trials.table import Row, read_table

__all__ = ["Measure", "Result", "Row", "frame", "measures", "read_table", "run_table"]
