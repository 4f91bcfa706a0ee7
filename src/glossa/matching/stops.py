"""What must never be bridged, in one ordered table: each stop looks at an alignment and says what it found, or nothing."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar

from msgspec import Struct

from glossa.hearing.device_rules import RANK
from glossa.hearing.devices import PLAIN_NAME, Devices
from glossa.hearing.roles import How, Role, first_said
from glossa.hearing.timing import CONDITION, LATER
from glossa.hearing.tokens import places_of
from glossa.hearing.utterance import Utterance
from glossa.house.enumeration import Enumeration
from glossa.language import Language
from glossa.matching.alignment import Alignment, Kind, guessed_apart
from glossa.matching.grammar import Grammar
from glossa.matching.torn import torn

ENDING = frozenset({("power", 1), ("open", 1), ("play", 1)})
"""The (axis, side) pairs of words that end what runs for a time: "off", "close", "stop"."""

FAR = 0.45
"""A word of direction that costs more than this by its sound is only guessed, where what was heard is a common word."""


class Severity(Enumeration):
    """What a stop makes of a reading."""

    REJECT: ClassVar[Severity]
    CONFIRM: ClassVar[Severity]


class Fired(Struct, frozen=True, gc=False):
    """A stop that fired, and the words that made it."""

    name: str
    severity: Severity
    words: str


class Stop(Struct, frozen=True, gc=False):
    """A stop.

    Attributes:
        name: as it is shown.
        severity: whether the reading is refused or asked back about.
        finds: what looks for it: the words that make it, ``""`` for none.
        text: what it is for.
    """

    name: str
    severity: Severity
    finds: Callable[[Utterance, Alignment, Grammar], str]
    text: str


def fired(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> tuple[Fired, ...]:
    """The stops that fire on an alignment, the gravest first."""
    found = []
    for stop in STOPS:
        words = stop.finds(utterance, alignment, grammar)
        if words:
            found.append(Fired(stop.name, stop.severity, words))
    return tuple(found)


def _negation(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A negation that no phrase holds; one in a clause of its own is a reason: "..., I can't sleep"."""
    left = [at for at in alignment.left_over(Role.NEGATION) if not _denies(utterance, at, grammar)]
    return " ".join(utterance.words[at] for at in left) if left else ""


def _denial(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A "no" right before the verb of an order, which rather says that something else went wrong: "no turn the lamp off"."""
    return next((utterance.words[at] for at in alignment.left_over(Role.NEGATION) if _denies(utterance, at, grammar)), "")


def _denies(utterance: Utterance, at: int, grammar: Grammar) -> bool:
    language, word = grammar.lexicon.language, utterance.words[at]
    answers, corrects = language.phrases("answers", "no").single, language.phrases("grammar", "correction").single
    opens = word in answers and word in corrects and at == first_said(utterance.roles)
    return opens and any(w in language.verbs for w in utterance.words[at + 1 : at + 2])


def _opposite(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A word that nothing explains and that means the opposite of a word of the phrase, of a value, or of a device's name."""
    language = grammar.lexicon.language
    within = _against_the_value(alignment, grammar)
    if within:
        return within
    guessed = _against_the_sound(utterance, alignment, language)
    if guessed:
        return guessed
    left = alignment.left_over(Role.POLE, Role.WORD, Role.TALK, Role.VERB)
    left = [at for at in left if utterance.words[at] in language.poles]
    if not left or alignment.pattern.garbage:
        return ""
    if alignment.pattern.lasts:
        ended = next((utterance.words[at] for at in left if not ENDING.isdisjoint(language.poles[utterance.words[at]])), "")
        if ended:
            return ended
    said = _said(alignment)
    for at in left:
        word = utterance.words[at]
        for other in said:
            if language.opposite(word, other):
                return f"{word} / {other}"
    poles = [utterance.words[i] for i in left if utterance.roles[i] == Role.POLE]
    for number, word in enumerate(poles):
        for other in poles[number + 1 :]:
            if language.opposite(word, other):
                return f"{word} / {other}"
    return ""


def _against_the_value(alignment: Alignment, grammar: Grammar) -> str:
    """A word of the phrase against the value: the "open" and the "close" of "open the vent and close it again".

    A preposition right before the value says nothing against it, though it may be a state elsewhere: the "auf" of "auf geschlossen".
    """
    language = grammar.lexicon.language
    for option in alignment.chosen:
        candidate = option.candidate if option is not None else None
        if candidate is None or not candidate.used or isinstance(candidate.value, Devices):
            continue
        edges = [o.edge for o in alignment.chosen if o is not None and o.edge is not None]
        for edge in candidate.used:
            for own in edges:
                leads = own.end == candidate.start and own.word in language.grammar.absolute
                if language.opposite(edge.word, own.word) and not leads:
                    return f"{own.word} / {edge.word}"
    return ""


def _against_the_sound(utterance: Utterance, alignment: Alignment, language: Language) -> str:
    """A word that was taken for its opposite by sound, or the end of something for what runs for a time: the "shut" of "shut the tap" for "start"."""
    for option in alignment.chosen:
        for edge in option.edges if option is not None else ():
            heard = utterance.words[edge.start] if edge.how & How.SOUND and edge.end == edge.start + 1 else ""
            ends = alignment.pattern.lasts and not ENDING.isdisjoint(language.poles.get(heard, ()))
            if heard and (ends or language.opposite(heard, edge.word)):
                return f"{heard} / {edge.word}"
    return ""


def _said(alignment: Alignment) -> list[str]:
    """The words of the phrase, of its values and of the devices' names, those that were not heard too."""
    said: dict[str, None] = {}
    for place, option in zip(alignment.pattern.places, alignment.chosen, strict=True):
        if option is None:
            said.update(dict.fromkeys(place.words if place.missing else ()))
        elif option.edge is not None:
            said[option.edge.word] = None
        elif option.candidate is not None:
            said.update(dict.fromkeys(e.word for e in option.candidate.used))
    return list(said)


def _sign(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A sign that was said and has no place."""
    minus = grammar.lexicon.language.numbers.minus
    if not any(w in minus for w in utterance.words):
        return ""
    for item in alignment.items:
        at = item.start
        if item.kind == Kind.LEFT and utterance.words[at] in minus and at + 1 < len(utterance.words):
            if any(q.start in (at, at + 1) for q in utterance.quantities):
                return " ".join(utterance.words[at : at + 2])
    return ""


def _second_unit(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A unit right behind a value that has another one: "ten percent degrees"."""
    units = grammar.lexicon.numbers.unit_words
    for option in alignment.chosen:
        candidate = option.candidate if option is not None else None
        if candidate is None or isinstance(candidate.value, Devices) or candidate.used or candidate.end >= len(utterance.words):
            continue
        at = candidate.end
        if (
            utterance.words[at] in units
            and not alignment.covered >> at & 1
            and utterance.words[at] not in grammar.lexicon.vocabulary.words
        ):
            if any(q.unit and q.end == at for q in utterance.quantities):
                return " ".join(utterance.words[candidate.start : at + 1])
    return ""


def _question(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A verb in front that asks how something is, where the phrase orders something: "is the lamp on"."""
    asks, language = grammar.asking_verbs, grammar.lexicon.language
    if asks.isdisjoint(utterance.words) or alignment.pattern.intent.read:
        return ""
    first = first_said(utterance.roles)
    word, placed = utterance.words[first], (alignment.covered | alignment.beside) >> first & 1
    if word not in asks or (placed and not alignment.turned_round(first)):
        return ""
    announcing = language.phrases("grammar", "announcing")
    announced = any(announcing.at(utterance.words, i) for i in range(first + 1))  # "jetzt ist Feierabend"
    return "" if announced else word


def _exception(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """An exception that was not understood; what was understood may be what is excepted."""
    left = [i for i in alignment.left_over(Role.EXCEPTION) if 0 < i < len(utterance.words) - 1]
    return " ".join(utterance.words[i] for i in left) if left and alignment.candidate("device") is not None else ""


def _guessed_negation(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A word that may be a negation which was misheard: one with no place, or one right before a verb: the "done" of "done open the gate"."""
    vocabulary, language = grammar.lexicon.vocabulary, grammar.lexicon.language
    auxiliary = language.grammar.auxiliary
    asked = any(w in auxiliary for w in utterance.words)
    unplaced = asked and alignment.left_over(Role.UNKNOWN, Role.TALK, Role.WORD, Role.POLE)
    if alignment.pattern.garbage or not (unplaced or any(map(vocabulary.may_be_negation, utterance.words))):
        return ""
    left = alignment.left_over(Role.UNKNOWN, Role.TALK, Role.WORD)
    sounding = [e.start for o in alignment.chosen if o is not None for e in o.edges if e.how & How.SOUND and e.end == e.start + 1]
    small = alignment.left_over(Role.VERB, Role.SMALL)
    words = (*utterance.words, "")
    taken = zip(alignment.pattern.places, alignment.chosen, strict=True)
    said = {o.edge.start for p, o in taken if o is not None and o.edge is not None and not p.small}  # what the phrase itself says
    verbs = {i for i in range(1, len(words)) if words[i] in language.verbs or words[i] in language.light} | said
    before_a_verb = [i for i in (*sounding, *small) if i + 1 in verbs]
    if asked:  # whatever stands between "do" and a verb: "do night sound the horn"
        guessed = (*left, *alignment.left_over(Role.POLE))
        between = next((words[i] for i in guessed if i + 1 in verbs and i and words[i - 1] in auxiliary), "")
        if between:
            return between
    named = grammar.lexicon.named  # a "knight light" is a night light rather than "not light"
    plain = {e.start for o in alignment.chosen if o is not None for e in o.edges if e.cost < PLAIN_NAME and e.word in named}
    return next((words[i] for i in (*left, *before_a_verb) if i not in plain and vocabulary.may_be_negation(words[i])), "")


def _second_command(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """Another device that is named with a direction or a number of its own: half of what was said is not to be done."""
    if alignment.pattern.garbage or not alignment.left_over(Role.POLE, Role.NUMBER):
        return ""
    for expression in utterance.expressions:
        plain = expression.cost < PLAIN_NAME and RANK["all"] != expression.things.rank < RANK["part"]
        if plain and not expression.tokens & alignment.covered:
            return " ".join(utterance.words[expression.start : expression.end])
    return ""


def _preposition(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """ "by" before what a value becomes, "to" before an amount of change, or a word that compares behind a value: "ten percent brighter"."""
    for item in alignment.items:
        if item.kind == Kind.MISFIT:
            option = alignment.chosen[item.place]
            start, end = (item.start, item.end) if option is None else (min(item.start, option.start), max(item.end, option.end))
            return " ".join(utterance.words[start:end])
    return ""


def _homophone(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A number that usually is another word: "to" for two. One that a preposition leads to is a number: "volume to ate"."""
    language = grammar.lexicon.language
    leading = (*language.grammar.absolute, *language.grammar.relative)
    for option in alignment.chosen:
        candidate = option.candidate if option is not None else None
        if candidate is None or candidate.note != "sounds like":
            continue
        led = candidate.start and utterance.words[candidate.start - 1] in leading
        if utterance.words[candidate.start] in language.small or not led:
            return " ".join(utterance.words[candidate.start : candidate.end])
    return _unheard_homophone(utterance, alignment, grammar)


def _unheard_homophone(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A word that may be a number, just where a default stands in for one that was not heard: the "too" of "too blasts on the horn"."""
    homophones = grammar.lexicon.language.numbers.homophones
    places = alignment.pattern.places
    for place, option, following in zip(places, alignment.chosen, alignment.chosen[1:], strict=False):
        if option is None and place.slot in alignment.pattern.intent.defaults and following is not None and following.start:
            at = following.start - 1
            if utterance.words[at] in homophones and not alignment.covered >> at & 1:
                return utterance.words[at]
    return ""


def _another_name(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A device that was named plainly, or a word of a name or a value, heard as it is, and taken for another name by sound.

    That is the "lounge radiator" for the lounge radio, and the "red" of "bunting red, gate lamp off" for a lathe lamp.
    """
    device = alignment.candidate("device")
    if device is None or not isinstance(device.value, Devices):
        return ""
    guessed = [e for e in device.used if e.how & How.SOUND]
    if not guessed:
        return ""
    for expression in utterance.expressions:
        plain = expression.cost < PLAIN_NAME and RANK["all"] != expression.things.rank < RANK["part"]
        if plain and not device.tokens & ~expression.tokens and not expression.things.devices & device.value.devices:
            return " ".join(utterance.words[expression.start : expression.end])
    for edge in guessed:
        at, word = edge.start, utterance.words[edge.start]
        if edge.end > at + 1 or utterance.roles[at] == Role.SMALL:
            continue
        value = any(s.end == edge.end and s.cost == 0.0 and s.entry.kind == "value" for s in utterance.spans[at])
        if value or word in grammar.lexicon.named:
            return f"{word} / {edge.word}"
    return ""


def _guessed_which(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A word that sounds only roughly like the one that tells a device from others of its kind: the "potato tap" for the tomato tap."""
    device = alignment.candidate("device")
    if device is None or len(device.used) < 2 or guessed_apart(device, grammar.lexicon.of_noun_word) < FAR:
        return ""
    far = max((e for e in device.used if e.how & How.SOUND), key=lambda e: e.cost)
    return f"{' '.join(utterance.words[far.start : far.end])} / {far.word}"


def _another_measure(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A word for one way of changing, where the house changes only other things that way: "lamp louder"."""
    verbs = grammar.lexicon.language.verbs
    for edge in (o.edge for o in alignment.chosen if o is not None and o.edge is not None):
        heard = " ".join(utterance.words[edge.start : edge.end])  # one may "crank up" anything
        if heard != edge.word and not edge.how & How.SOUND and heard in alignment.pattern.elsewhere and heard not in verbs:
            return f"{heard} / {edge.word}"
    return ""


def _guessed_direction(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A word that decides between opposites, only guessed by sound from a word that usually is another one."""
    poles, usual = grammar.lexicon.language.poles, grammar.lexicon.language.common
    for option in alignment.chosen:
        for edge in option.edges if option is not None else ():
            common = edge.how & How.TAKEN or (edge.cost > FAR and utterance.words[edge.start] in usual)
            if edge.how & How.SOUND and common and edge.word in poles:
                return f"{utterance.words[edge.start]} / {edge.word}"
    return ""


def _guessed_place(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A place that this house may not have, taken for a word of its own by sound: the "bathroom" of a house with a bedroom, and the "garden
    lamp" of one with a galley."""
    places = grammar.lexicon.language.phrases("grammar", "places").single
    for option in alignment.chosen:
        for edge in option.edges if option is not None else ():
            heard = utterance.words[edge.start]
            if edge.how & How.SOUND and heard in places and heard not in grammar.lexicon.vocabulary.words:
                return f"{heard} / {edge.word}"
    return ""


def _broken_off(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A value that was begun and not said or not understood, where a default would stand in for it: "dim the lamp by ..."."""
    relative, scaled = grammar.lexicon.language.grammar.relative, alignment.pattern.scaled
    if any(alignment.candidate(slot) is None for slot in scaled):
        for at in alignment.left_over(Role.UNKNOWN, Role.VERB, Role.TALK, Role.SMALL):
            about = utterance.words[at] in alignment.pattern.measures  # the "calor" of "más calor en la salita"
            leads = utterance.words[at] in grammar.lexicon.articles and alignment.covered >> at + 1 & 1  # "le son de la télé"
            if at and not about and not leads and utterance.words[at - 1] in relative:
                return " ".join(utterance.words[at - 1 : at + 1])
    if any(p.slot == "device" for p in alignment.pattern.places) or alignment.pattern.intent.device:
        behind = _unknown_behind(utterance, alignment, grammar)
        if behind:
            return behind
    if Role.BROKEN not in utterance.roles:
        return ""
    at = len(utterance.roles) - 1 - utterance.roles[::-1].index(Role.BROKEN)
    places = zip(alignment.pattern.places, alignment.chosen, strict=True)
    heard = any(o is not None and not p.small and o.tokens >> at & 1 for p, o in places)
    asked = any(
        p.slot in alignment.pattern.intent.ask and o is None
        for p, o in zip(alignment.pattern.places, alignment.chosen, strict=True)
    )
    return "" if heard or asked or alignment.beside >> at & 1 else utterance.words[at]


def _unknown_behind(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A preposition that leads to a value, and nothing but words that nobody knows behind it: "open the vent to a warmer"."""
    language, words = grammar.lexicon.language, utterance.words
    filler = places_of(Role.FILLER, utterance.roles)
    at, beside = len(words) - 1, alignment.beside | filler & filler << 1  # the "to" of "I want to"
    while at > 0 and not alignment.covered >> at & 1 and (words[at] not in language.grammar.absolute or beside >> at & 1):
        at -= 1
    left = tuple(
        w
        for w, r in zip(words[at + 1 :], utterance.roles[at + 1 :], strict=True)
        if r in (Role.UNKNOWN, Role.WORD, Role.TALK, Role.POLE)
    )
    leads = at > 0 and words[at] in language.grammar.absolute and not alignment.covered >> at & 1
    return " ".join((words[at], *left)) if left and leads else ""


def _share(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """A part of several, of which the whole was taken: "leave one of them on", "three of the lamps" where there are two."""
    device = alignment.candidate("device")
    if not utterance.shares or device is None:
        return ""
    articles, told = grammar.lexicon.articles, alignment.told_of(utterance)
    for start, end in utterance.shares:
        span, of = (1 << end) - (1 << start), end
        while of < len(utterance.words) - 1 and utterance.words[of] in articles and not device.tokens >> of & 1:
            of += 1
        own = span & alignment.covered == span or span & told
        if not own and (device.tokens >> of & 1 or of in _pronouns(utterance, grammar)):
            return utterance.written(start, of + 1)
    return ""


def _pronouns(utterance: Utterance, grammar: Grammar) -> set[int]:
    pronouns, words = grammar.lexicon.language.phrases("grammar", "pronouns"), utterance.words
    return {at for at in range(len(words)) if pronouns.at(words, at)}


def _not_now(kind: str) -> Callable[[Utterance, Alignment, Grammar], str]:
    """What looks for another time, or a condition, that the phrase does not take and that is no part of a sentence beside the order."""

    def finds(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
        if not utterance.timed or alignment.pattern.garbage:
            return ""
        told, own, covered = alignment.told_of(utterance), alignment.own_words, alignment.covered
        for timed in utterance.timed:
            if timed.kind != kind:
                continue
            before = next((at for at in range(timed.start - 1, -1, -1) if utterance.roles[at] != Role.FILLER), -1)
            if before >= 0 and (told >> before & 1 or utterance.roles[before] == Role.NEGATION):
                continue  # "we eat at seven", "not at eight"
            span = (1 << timed.end) - (1 << timed.start)
            if not timed.core:  # the "at eight" of "on at eight", which stands beside the order itself
                if span & covered or (before >= 0 and not covered >> before & 1):
                    continue
            elif kind == CONDITION and own >> timed.end & 1 and utterance.roles[timed.end] in (Role.VERB, Role.POLE):
                continue  # nothing is said of when: the "sí" of "sí enciéndela", written without its accent
            elif not timed.core & ~own or (span & ~timed.core & covered and _takes_delays(alignment, grammar)):
                continue
            end = timed.end if kind == LATER else _end_of_clause(utterance, alignment, timed.end)
            return utterance.written(timed.start, end)
        return ""

    return finds


def _takes_delays(alignment: Alignment, grammar: Grammar) -> bool:
    """Whether a phrase says itself how long it is until something: "remind me in $time"."""
    delays = grammar.lexicon.language.phrases("when", "delay").single
    return any(word in delays for place in alignment.pattern.places for word in place.words)


def _end_of_clause(utterance: Utterance, alignment: Alignment, at: int) -> int:
    """Where a clause ends at the latest: at the next word that says something in the phrase, or with the utterance."""
    while at < len(utterance.words) and (utterance.roles[at] in (Role.SMALL, Role.FILLER) or not alignment.covered >> at & 1):
        at += 1
    return at


STOPS = (
    Stop("later", Severity.REJECT, _not_now(LATER), "another time than now"),
    Stop("condition", Severity.REJECT, _not_now(CONDITION), "a condition"),
    Stop("negation", Severity.REJECT, _negation, "a negation that nothing explains"),
    Stop("opposite", Severity.REJECT, _opposite, "one member of a pair of opposites for the other, or both"),
    Stop("sign", Severity.REJECT, _sign, "a minus that has no place"),
    Stop("second unit", Severity.REJECT, _second_unit, "two units that contradict each other"),
    Stop("second command", Severity.REJECT, _second_command, "another device with a direction or a number of its own"),
    Stop("question", Severity.REJECT, _question, "a verb in front that asks how something is"),
    Stop("share", Severity.CONFIRM, _share, "a part of several that are meant as a whole"),
    Stop("exception", Severity.CONFIRM, _exception, "an exception that was not understood"),
    Stop("denial", Severity.CONFIRM, _denial, 'a "no" in front of an order'),
    Stop(
        "guessed negation", Severity.CONFIRM, _guessed_negation, "a word with no place that may be a negation which was misheard"
    ),
    Stop(
        "torn",
        Severity.CONFIRM,
        torn,
        "a word beside a name, a value or a number that may be a part of it, or say which is meant",
    ),
    Stop("preposition", Severity.CONFIRM, _preposition, "an amount of change for a value, or the other way round"),
    Stop("broken off", Severity.CONFIRM, _broken_off, "a value that was begun and not said"),
    Stop("homophone", Severity.CONFIRM, _homophone, "a number that usually is another word"),
    Stop(
        "guessed place",
        Severity.CONFIRM,
        _guessed_place,
        "a place that the house may not have, taken for a word of its own by sound",
    ),
    Stop("another name", Severity.CONFIRM, _another_name, "what was named plainly, and taken for another name by sound"),
    Stop(
        "guessed which",
        Severity.CONFIRM,
        _guessed_which,
        "a word that only roughly sounds like the one that says which device is meant",
    ),
    Stop("another measure", Severity.CONFIRM, _another_measure, "a word for how something else of the house changes"),
    Stop("guessed direction", Severity.CONFIRM, _guessed_direction, "a direction that was only guessed from another word"),
)
