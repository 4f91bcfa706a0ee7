"""What a recogniser sends, as plain text or as JSON (RFC 8259)."""

from __future__ import annotations

import math
from datetime import datetime
from typing import Any

import msgspec
from msgspec import Struct

from glossa.house.text import printable

MOST_BYTES = 65_536
"""What is longer is no utterance."""
MOST_SHOWN = 200


class Heard(Struct, frozen=True):
    """One thing heard.

    Attributes:
        text: the recogniser's first choice.
        alternatives: every text with its confidence, 0 to 1, the first choice first; at least one.
        confidence: of the first choice, 0 to 1; None where it was not given.
        final: False for a partial result.
        language: a BCP 47 tag, or ``""``.
        time: when it was said, in seconds since 1970 (UTC), where the recogniser knows.
        error: the recogniser's own error, ``""`` for none.
        problem: why this can't be used, ``""`` where it can.
    """

    text: str = ""
    alternatives: tuple[tuple[str, float], ...] = ()
    confidence: float | None = None
    final: bool = True
    language: str = ""
    time: float | None = None
    error: str = ""
    problem: str = ""


class _Alternative(Struct):
    text: str
    confidence: float | None = None


class _Said(Struct):
    text: str | None = None
    alternatives: list[_Alternative | str] | None = None
    confidence: float | None = None
    final: bool = True
    language: str | None = None
    time: float | str | None = None
    error: Any = None


def read_heard(data: bytes | str) -> Heard:
    """One line, message or request of a recogniser; whatever it is, this says what is wrong rather than raising.

    A JSON object has ``text``, and where known ``alternatives`` (texts, or objects with ``text`` and ``confidence``), ``confidence``,
    ``final``, ``language``, ``time`` (ISO 8601, or seconds since 1970) and ``error``; other keys are not looked at. Anything
    else is plain text in UTF-8; what is not UTF-8 in it is replaced.

    >>> read_heard(b"galley lamp on").text
    'galley lamp on'
    >>> read_heard('{"text": "lamp on", "final": false}').final
    False
    """
    raw = data.encode("utf-8", errors="replace") if isinstance(data, str) else data
    if len(raw) > MOST_BYTES:
        return Heard(text=_shown(raw), problem=f"longer than {MOST_BYTES // 1024} KiB")
    if raw.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"{"):
        return _from_json(raw.removeprefix(b"\xef\xbb\xbf"))
    text = raw.decode("utf-8-sig", errors="replace").strip()
    if any(ord(c) < 32 and c not in "\t\r\n" for c in text):
        return Heard(text=_shown(raw), problem="noise: control characters in it")
    return _heard(text)


def _from_json(raw: bytes) -> Heard:
    try:
        said = msgspec.json.decode(raw, type=_Said, strict=False)
    except msgspec.ValidationError as error:
        return Heard(text=_shown(raw), problem=f"wrong JSON: {error}")
    except (ValueError, RecursionError) as error:
        return Heard(text=_shown(raw), problem=f"not JSON: {str(error)[:MOST_SHOWN]}")
    listed = [(a, None) if isinstance(a, str) else (a.text, a.confidence) for a in (said.alternatives or [])]
    confidence = _share(said.confidence)
    first = said.text if said.text is not None else listed[0][0] if listed else None
    if said.error is not None and said.error is not False and said.error != "":
        return Heard(text=first or "", error=_plain(said.error))
    if first is None:
        return Heard(text=_shown(raw), problem="JSON without 'text'")
    if confidence is None and listed and listed[0][0] == first:
        confidence = _share(listed[0][1])
    # Without figures of its own every text counts alike, in the recogniser's order.
    sure = 1.0 if confidence is None else confidence
    first = printable(first).strip()
    texts = {first: sure}
    for text, own in listed:
        texts.setdefault(printable(text).strip(), sure if _share(own) is None else float(_share(own) or 0.0))
    try:
        when = _time(said.time)
    except ValueError:
        return Heard(text=first, problem=f"'{_plain(said.time)}' is no time")
    return Heard(
        text=first,
        alternatives=tuple((t, c) for t, c in texts.items() if t) or (("", sure),),
        confidence=confidence,
        final=said.final,
        language=(said.language or "")[:35],
        time=when,
    )


def _heard(text: str) -> Heard:
    return Heard(text=text, alternatives=((text, 1.0),))


def _share(number: float | None) -> float | None:
    return None if number is None or not math.isfinite(number) else min(1.0, max(0.0, number))


def _time(written: float | str | None) -> float | None:
    if written is None or written == "":
        return None
    if isinstance(written, str):
        try:
            written = float(written)
        except ValueError:
            return datetime.fromisoformat(str(written)).timestamp()
    if not math.isfinite(written):
        raise ValueError("not a time")
    return written / 1000 if written > 1e11 else written  # milliseconds


def _shown(raw: bytes) -> str:
    return "".join(c if c.isprintable() else "·" for c in raw[:MOST_SHOWN].decode("utf-8", errors="replace"))


def _plain(found: object) -> str:
    if isinstance(found, dict):
        found = found.get("message") or found.get("text") or found.get("code") or found
    return _shown(str(found).encode("utf-8", errors="replace"))
