"""Every cost that hearing and matching put on what was heard, in units of one content word of the house."""

from __future__ import annotations

from msgspec import Struct

from glossa.hearing.roles import Role

WEIGHT = {
    Role.FILLER: 0.02, Role.SMALL: 0.06, Role.VERB: 0.35, Role.WORD: 1.0, Role.POLE: 1.4, Role.TALK: 1.5, Role.NEGATION: 2.0,
    Role.NUMBER: 1.5, Role.UNKNOWN: 1.3, Role.AMOUNT: 0.1, Role.ASIDE: 0.15, Role.BROKEN: 1.0, Role.EXCEPTION: 1.5, Role.PREAMBLE: 0.1, Role.REASON: 0.1,
}  # fmt: skip
"""What a token weighs, which is what leaving it unexplained costs. A number weighs this much however many words it takes."""


class Costs(Struct, frozen=True, gc=False):
    """The costs, in one place. A share is one of the weight of the word that is meant, 0 to 1; the others are whole words.

    Attributes:
        form, synonym, household, toward, alike: shares for another form of a word, one that means the same, one that this household
            says, one that stands for it, and one of the language's list of sound-alikes.
        own_word: what a word that stands for another one costs more where the house has phrases with it: "raise" for "open".
        many_for_one: share for a singular that was heard for a plural: the difference between one device and all of them.
        rewritten: share for other words altogether.
        split: share for a word that was written as two.
        sound, sound_slope: a word that is ``d`` apart by sound costs the share ``sound + sound_slope * d``.
        farthest, taken_farthest: words further apart than this are not bridged; the second is for words that are usually others,
            which cost ``taken`` more.
        vocabulary_farthest, vocabulary: the same for a word of the house that was heard for another one of it, and what it costs more.
        light_farthest: the same for verbs that say little, which everybody says all the time.
        said_again: a word of the house that was said before.
        part, head_first, first_words: a part of a name, one with its noun in front, its first words alone. other_name: a part of a name
            that is the whole name of another device, or a room that it isn't in.
        turned: a name with its noun at the other end, and a word of it only heard by sound: "light in our lives" for "lava light".
        wrong_room, moved, room_alone, room_led, room_only, room_bare, apart, everything: device expressions: a room that it is not in, "in the room"
            behind, a room without a preposition, one at the end with an article but without a preposition, nothing but a place ("in the den") and a room ("the den"), a modifier that stands apart, "all" without a noun.
        missing_slot, missing_asked, missing_default: a slot that was not said: with no way out, one that is asked for, one with a default.
        missing_measure, missing_verb: a word for what a value measures that was not said, and a verb beside two slots at least.
        rare: a phrase alternative of weight w costs ``rare * -log2(w)``, w relative to the heaviest one.
        beside: a word of the house in a clause of its own.
        order: two places out of their order.
        misfit: "by" before what a value becomes, "to" before an amount of change; a word that compares right behind a value, as in "ten
            percent dimmer".
        aimless: a direction right before what a value becomes, as in "down ten", or before an amount that is out of range.
        unit: a unit that is another one's. outside: a value out of range. least: the weight of a slot's value at least.
        garbage: share of a token beside a phrase with $GARBAGE.
        article: what a number costs more that usually is an article or a preposition.
        free: weight of free words, however many.
        assumed: a device that was not said but spoken of before.
        elsewhere: an intent with a device of its own, where another one was spoken of before.
    """

    form: float = 0.08
    synonym: float = 0.06
    household: float = 0.03
    toward: float = 0.25
    own_word: float = 0.2
    alike: float = 0.3
    many_for_one: float = 0.2
    rewritten: float = 0.15
    split: float = 0.1
    sound: float = 0.1
    sound_slope: float = 1.3
    farthest: float = 0.42
    taken_farthest: float = 0.4
    vocabulary_farthest: float = 0.36
    light_farthest: float = 0.3
    vocabulary: float = 0.4
    taken: float = 0.2
    said_again: float = 0.3
    part: float = 0.05
    head_first: float = 0.05
    first_words: float = 0.46
    other_name: float = 0.5
    turned: float = 0.2
    wrong_room: float = 0.3
    moved: float = 0.03
    room_alone: float = 0.05
    room_led: float = 0.4
    room_only: float = 0.45
    room_bare: float = 0.6
    apart: float = 0.05
    everything: float = 0.15
    missing_slot: float = 1.5
    missing_asked: float = 0.6
    missing_default: float = 0.3
    missing_measure: float = 0.35
    missing_verb: float = 0.45
    rare: float = 0.05
    beside: float = 0.4
    order: float = 0.12
    misfit: float = 0.9
    aimless: float = 0.6
    unit: float = 1.6
    outside: float = 0.15
    least: float = 0.5
    garbage: float = 0.1
    free: float = 0.3
    article: float = 0.25
    assumed: float = 0.1
    elsewhere: float = 0.6


COSTS = Costs()
