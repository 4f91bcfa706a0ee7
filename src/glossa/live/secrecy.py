"""Passcodes out of everything that is shown, sent on or kept."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from glossa.conversation import Event
from glossa.conversation.passcode import expected
from glossa.hearing.tokens import tokenize
from glossa.matching import Matcher, Outcome
from glossa.matching.result import HIDDEN


class Secrecy:
    """Knows the passcodes of a house and stars them out, in digits or in words.

    Args:
        matcher: of the house; its word lists say what is a digit.
        environment: where the passcodes are found.
    """

    def __init__(self, matcher: Matcher, environment: Mapping[str, str]) -> None:
        self._matcher = matcher
        house = matcher.house
        self._guarded = {i.id for i in house.intents.values() if i.pin is not None}
        codes = (expected(i.pin, environment) for i in house.intents.values() if i.pin is not None)
        self._codes = tuple(sorted({c for c in codes if c.isdigit()}, key=len, reverse=True))
        readers = [matcher.grammar(tag).lexicon.numbers for tag in house.languages]
        spoken = {word for r in readers for word in (*r.ones, *r.words.tens, *r.words.digits_only, *r.words.spellings)}
        self._said = re.compile(rf"\b(?:{'|'.join(sorted(map(re.escape, spoken), key=len, reverse=True))})", re.IGNORECASE)

    def utterance(self, event: Event, asked: bool) -> str:
        """An event's utterance, fit to be kept.

        Args:
            event: the event.
            asked: whether the house had asked for a passcode; what it then can't use may be a passcode heard wrongly.
        """
        if asked and event.outcome == Outcome.REJECT:
            return HIDDEN
        if event.intent in self._guarded:
            return self._starred(event.utterance, every=True)
        return self.text(event.utterance)

    def data(self, found: Any) -> Any:
        """Plain data without the passcodes of the house, in its texts and its numbers."""
        if not self._codes:
            return found
        if isinstance(found, dict):
            return {key: self.data(value) for key, value in found.items()}
        if isinstance(found, list):
            return [self.data(value) for value in found]
        if isinstance(found, str):
            return self.text(found)
        hidden = isinstance(found, int) and not isinstance(found, bool) and any(code in str(found) for code in self._codes)
        return HIDDEN if hidden else found

    def text(self, text: str) -> str:
        """A text without the passcodes of the house."""
        if not self._codes:
            return text
        digits = "".join(filter(str.isdigit, text))
        if not any(code in digits for code in self._codes) and not self._said.search(text):
            return text  # by far the most
        return self._starred(text, every=False)

    def _starred(self, text: str, *, every: bool) -> str:
        for tag in self._matcher.house.languages:
            reader = self._matcher.grammar(tag).lexicon.numbers
            tokens = tokenize(text)
            at = 0
            spans = []
            while at < len(tokens):
                found = reader.digits(tokens, at)
                if found is None:
                    at += 1
                    continue
                end, digits = found
                if any(code in digits for code in self._codes) or (every and len(digits) > 1):
                    spans.append((tokens[at].start, tokens[end - 1].end))
                at = max(end, at + 1)
            for start, stop in reversed(spans):
                text = text[:start] + HIDDEN + text[stop:]
        for code in self._codes:
            text = text.replace(code, HIDDEN)
        return text
