"""The phrases of a house, compiled once; an utterance -> alignments, readings, evidence, and what to do about the best one."""

from glossa.matching.matcher import Matcher
from glossa.matching.result import Match, Outcome, Piece, Reading

__all__ = ["Match", "Matcher", "Outcome", "Piece", "Reading"]
