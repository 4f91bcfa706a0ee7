"""Why a request was refused, in words of the household."""

from __future__ import annotations

from collections.abc import Mapping

from glossa.commands.action import names, range_reply
from glossa.hearing.devices import PLAIN_NAME
from glossa.house.model import Intent
from glossa.language import Language, language_of
from glossa.matching import Match, Matcher, Reading

STOPPED: Mapping[str, str] = {
    "negation": "negated",
    "sign": "unclear_sign",
    "second unit": "two_units",
    "second command": "half_named",
    "later": "only_now",
    "condition": "only_now",
}
"""The texts for what stopped a reading."""
PLAIN = ("second command", "later", "condition")
"""What is named even where it is not sure what was meant."""


def why_not(matcher: Matcher, match: Match, best: Reading, intent: Intent) -> str:
    """The reply to a request that was refused; that it was not understood only where it really was not.

    Args:
        matcher: of the house.
        match: the match.
        best: its best reading.
        intent: the reading's intent.
    """
    house, language = matcher.house, language_of(matcher.house, best.language)
    if match.reason == "range":
        return range_reply(house, intent, best.slots, match.detail, best.language)
    if match.reason == "mode" and match.detail:
        return language.text("wrong_mode", mode=match.detail.replace("_", " "))
    if match.reason == "missing":
        return language.text("lacking", slot=match.detail.replace("_", " "))
    if match.reason == "wrong room":
        device = best.slots.get("device")
        return language.text("not_there", device=names(house, device if isinstance(device, tuple) else (), language))
    if match.reason == "opposite" and best.confidence >= intent.matching.confirm:
        return _against(matcher, match, best, language)
    if match.reason in STOPPED and (match.reason in PLAIN or best.confidence >= intent.matching.confirm):
        return language.text(STOPPED[match.reason], words=match.detail.replace(" / ", ", "))
    cause = _but_for_one_thing(matcher, match, best, language) if match.reason == "confidence" else ""
    return cause or language.text("rejected")


def _against(matcher: Matcher, match: Match, best: Reading, language: Language) -> str:
    """Both of two opposites were said, or one for which there is no phrase."""
    word, _, own = match.detail.partition(" / ")
    heard = matcher.grammar(best.language).hearing.analyse(match.utterance).words
    if not own:
        return language.text("half_named", words=word)
    return language.text("both_ways", words=f"{word}, {own}") if own in heard else language.text("other_way", words=word, own=own)


_CAUSES: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    (
        "no_place",
        "foreign place",
        ("which", "unknown before", "unknown inside", "unknown behind", "small inside", "small behind"),
    ),
    ("cannot", "another device", ("missing", "word before", "word inside", "word behind", "misfit")),
    ("cannot", "missing", ("which", "direction before", "direction inside", "direction behind", "only a name", "misfit")),
)
"""Texts, the term of the evidence that each is about, and the terms that come with it."""


def _but_for_one_thing(matcher: Matcher, match: Match, best: Reading, language: Language) -> str:
    """What one cause was, where the reading would have been sure enough without it."""
    against = {c.term: c.log_odds for c in best.evidence}
    for text, term, others in _CAUSES:
        if against.get(term, 0.0) < 0 and sum(v for t, v in against.items() if t not in (term, *others)) > 0:
            about = _about(matcher, match, best)
            if about[_NAMED[text]]:
                return language.text(text, **about)
    return ""


_NAMED = {"no_place": "place", "cannot": "device"}
"""What has to be known for a text to say something."""


def _about(matcher: Matcher, match: Match, best: Reading) -> dict[str, str]:
    """The place that the house doesn't have, the device that was named, and all that was said."""
    grammar = matcher.grammar(best.language)
    utterance, lexicon = grammar.hearing.analyse(match.utterance), grammar.lexicon
    places, known = lexicon.language.phrases("grammar", "places"), lexicon.vocabulary.words
    found = ((i, places.at(utterance.words, i)) for i, w in enumerate(utterance.words) if w in places.first and w not in known)
    place = next((" ".join(utterance.words[i : i + n]) for i, n in found if n), "")
    said = best.slots.get("device")
    taken = lexicon.mask(said) if isinstance(said, tuple) and "missing" not in {c.term for c in best.evidence} else 0
    plain = (e for e in utterance.expressions if e.cost < PLAIN_NAME)
    named = next((e for e in plain if not any(r.devices & taken for r in e.things.references)), None)
    device = " ".join(utterance.words[named.start : named.end]) if named is not None else ""
    return {"place": place, "device": device, "words": match.utterance}
