"""A house as immutable data: what there is, what is said, and what is sent."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

from glossa.house.effects import Change, Fixed, Setting, slot_of
from glossa.house.forms import SetWire, WaitWire, Wire
from glossa.house.links import Link
from glossa.house.notation import Sequence
from glossa.house.problems import nearest
from glossa.house.recogniser import USUAL, Recogniser
from glossa.house.sources import Source
from glossa.house.text import identifier
from glossa.house.values import NO_TEXTS, Texts, Value, Values

GIVEN = frozenset(("house", "id", "name", "room", "device"))
"""Placeholders of an intent's steps that are no slots: the house, and what is known of the device."""


class Property(Struct, frozen=True):
    """A property of a device: its values, the commands that set it, where it is reported, and over how many seconds reports are averaged."""

    name: str
    values: Values
    command: tuple[Wire, ...] = ()
    state: Wire | None = None
    average: float = 0.0


class Device(Struct, frozen=True):
    """A device.

    ``names`` are the expanded spoken names as folded words, by language, ``also_heard`` those of them that only a recogniser writes.
    """

    id: str
    kind: str
    names: Mapping[str, tuple[tuple[str, ...], ...]]
    shown: Texts
    room: str
    link: str
    properties: Mapping[str, Property]
    also_heard: Mapping[str, tuple[tuple[str, ...], ...]] = field(default_factory=dict)

    def name(self, language: str = "") -> str:
        """The first name in a language, as the house file writes it; the id where there is none."""
        for key in (language, "", *self.shown):
            if self.shown.get(key):
                return self.shown[key][0]
        return self.id.replace("_", " ")


class Group(Struct, frozen=True):
    """Devices under one name; ``members`` are device ids in the file's order, groups within groups resolved."""

    id: str
    names: Mapping[str, tuple[tuple[str, ...], ...]]
    shown: Texts
    members: tuple[str, ...]


class Kind(Struct, frozen=True):
    """A sort of device; ``nouns`` are its spoken class words as folded words, by language, ``plurals`` those of them that no rule makes."""

    id: str
    nouns: Mapping[str, tuple[tuple[str, ...], ...]]
    plurals: Mapping[str, tuple[tuple[str, ...], ...]] = field(default_factory=dict)


class Prices(Struct, frozen=True):
    """What a mistake costs this household; only their proportions count.

    Attributes:
        wrong: a wrong action.
        talk: an action on what was not meant for the house.
        missed: a request that has to be repeated.
        ask: a question.
    """

    wrong: float = 10.0
    talk: float = 5.0
    missed: float = 1.0
    ask: float = 0.3

    @property
    def accept(self) -> float:
        """The confidence from which acting costs no more than asking back first, 0 to 1.

        Acting with confidence ``p`` costs ``(1 - p) * m`` on average, where ``m`` is the price of a mistaken action; as it is not known which
        of the two it would be, the mean of ``wrong`` and ``talk``. Asking costs ``ask``, and ``missed`` besides where the reading was wrong and
        something was asked for, which is taken for every other time.

        >>> round(Prices().accept, 3)
        0.957
        """
        mistaken = (self.wrong + self.talk) / 2 - self.missed / 2
        return round(min(0.99, max(0.5, 1.0 - self.ask / mistaken)), 3) if mistaken > 0 else 0.5

    @property
    def confirm(self) -> float:
        """The confidence from which asking back costs no more than leaving a request alone: ``ask <= p * missed``, at most ``accept``.

        >>> Prices().confirm
        0.3
        """
        return round(min(self.accept, max(0.05, self.ask / self.missed)), 3) if self.missed else self.accept


class Matching(Struct, frozen=True):
    """How strictly to match.

    Attributes:
        accept, confirm: limits of the confidence, 0 to 1: at or over which to act, and to ask back first; they follow from the prices of
            mistakes where the house gives none.
        lead: by how many words of cost the next different meaning must be behind; with less the house asks back first.
        sound, order, synonyms, filler: factors on the built-in prices of sound-alikes, of another word order, of words that mean the same,
            and of filler; 1 leaves them as they are. Those of the house count, an intent has none of its own.
    """

    accept: float = Prices().accept
    confirm: float = Prices().confirm
    lead: float = 0.5
    sound: float = 1.0
    order: float = 1.0
    synonyms: float = 1.0
    filler: float = 1.0


class Phrase(Struct, frozen=True):
    """A phrase as written, and the linear sequences that it stands for."""

    text: str
    sequences: tuple[Sequence, ...]


class Pin(Struct, frozen=True):
    """A passcode. ``env`` names the environment variable that holds it when live, ``test`` is the offline one."""

    env: str = ""
    test: str = ""
    tries: int = 3
    lockout: float = 60.0

    def __repr__(self) -> str:
        return f"<Pin {self.env or 'for tests'}>"


class Intent(Struct, frozen=True):
    """What can be said and what it does: one of ``set``, ``change``, ``read``, ``steps``, or only a change of mode."""

    id: str
    phrases: Mapping[str, tuple[Phrase, ...]]
    set: Mapping[str, Setting] = field(default_factory=dict)
    change: Mapping[str, Change] = field(default_factory=dict)
    read: str = ""
    steps: tuple[Wire, ...] = ()
    device: str = ""
    defaults: Mapping[str, Value] = field(default_factory=dict)
    ask: Mapping[str, Texts] = field(default_factory=dict)
    reply: Texts = field(default_factory=dict)
    confirm: str = "unsure"
    matching: Matching = Matching()
    pin: Pin | None = None
    modes: tuple[str, ...] = ()
    enter_mode: str = ""
    leave_mode: bool = False

    @property
    def properties(self) -> tuple[str, ...]:
        """The properties that the intent sets, changes or reads, in the file's order."""
        return (*self.set, *self.change, *((self.read,) if self.read else ()))

    def phrases_in(self, tag: str) -> tuple[Phrase, ...]:
        """The phrases of a language, and those that belong to every language."""
        return (*self.phrases.get(tag, ()), *self.phrases.get("", ()))

    def fits(self, device: Device) -> bool:
        """Whether a device has every property of the intent, and takes the values that it sets."""
        has = device.properties
        written = ((has[name], s.value) for name, s in self.set.items() if isinstance(s, Fixed) and name in has)
        return all(name in has for name in self.properties) and all(p.values.written(value) is not None for p, value in written)

    @property
    def changed_by(self) -> frozenset[str]:
        """The slots that say by how much something changes."""
        return frozenset(slot for change in self.change.values() if (slot := slot_of(change)))

    @property
    def to_a_device(self) -> bool:
        """Whether what it does is done to the device that is said, for it names none itself."""
        return not self.device and (
            bool(self.properties) or any(isinstance(s, SetWire) and s.device.startswith("$") for s in self.steps)
        )

    @property
    def sends(self) -> bool:
        """Whether there is always something to send where it is carried out."""
        return bool(self.set or self.change or any(not isinstance(s, WaitWire) for s in self.steps))

    @property
    def needs(self) -> tuple[str, ...]:
        """The slots without a default that have to be filled, or it would do nothing."""
        effects = (*self.set.values(), *self.change.values())
        slots = dict.fromkeys((*(slot for e in effects if (slot := slot_of(e))), *(n for s in self.steps for n in s.names)))
        return tuple(s for s in slots if s not in self.defaults and s not in GIVEN)


class Mode(Struct, frozen=True):
    """A set of phrases that is live only after it was entered; ``idle`` in seconds."""

    id: str
    idle: float = 30.0
    exclusive: bool = False
    awake: bool = True


class Wake(Struct, frozen=True):
    """Wake words and how long the house listens; ``accept`` is a score 0 to 1, ``window`` in seconds."""

    words: Mapping[str, tuple[tuple[str, ...], ...]]
    also_heard: Mapping[str, tuple[tuple[str, ...], ...]]
    end: Mapping[str, tuple[tuple[str, ...], ...]]
    shown: Texts = field(default_factory=dict)
    accept: float = 0.85
    window: float = 8.0
    after_command: str = "sleep"


class HouseWords(Struct, frozen=True):
    """What the household says beside the built-in lists; each text as folded words, by language."""

    same: Mapping[str, tuple[tuple[tuple[str, ...], ...], ...]] = field(default_factory=dict)
    ignore: Mapping[str, tuple[tuple[str, ...], ...]] = field(default_factory=dict)
    sounds: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


class House(Struct, frozen=True):
    """A checked house. Everything keeps the order of the house file."""

    name: str
    languages: tuple[str, ...]
    matching: Matching
    wake: Wake | None
    words: HouseWords
    links: Mapping[str, Link]
    rooms: Mapping[str, Mapping[str, tuple[tuple[str, ...], ...]]]
    rooms_shown: Mapping[str, Texts]
    kinds: Mapping[str, Kind]
    devices: Mapping[str, Device]
    groups: Mapping[str, Group]
    slots: Mapping[str, Values]
    intents: Mapping[str, Intent]
    modes: Mapping[str, Mode]
    prices: Prices = Prices()
    evidence: Mapping[str, float] = field(default_factory=dict)
    """Weights of the evidence that were fitted to this household's own rows, by term."""
    repeat: float = 0.7
    window: float = 8.0
    resume: str = "report"
    """What becomes of commands that were cut off when the program ended: ``report``, or ``send`` at the next start."""
    sources: Mapping[str, Source] = field(default_factory=dict)
    language_files: Mapping[str, str] = field(default_factory=dict)
    """Languages of the household's own: the name of a file, and its text."""
    recogniser: Recogniser = USUAL
    """How the household's recogniser mishears, as far as that is known."""

    def __repr__(self) -> str:
        return f"<House {self.name}: {len(self.devices)} devices, {len(self.intents)} intents>"

    @property
    def id(self) -> str:
        """The house's own id, for ``$house``."""
        return identifier(self.name)

    def meant_by(self, source: str, code: str) -> str:
        """The utterance that a code of a source stands for.

        Raises:
            LookupError: where there is no such source or code, with what there is, or it stands for nothing.
        """
        codes = self.sources[source].codes if source in self.sources else None
        if codes is None:
            known = [key for key, one in self.sources.items() if one.codes is not None]
            raise LookupError(f"there is no source '{source}' with codes ({nearest(source, known) or 'there is none'})")
        written = codes.written(code)
        if written not in codes.utterances:
            raise LookupError(f"{source} has no code '{written}' ({nearest(written, codes.utterances)})")
        if not codes.utterances[written]:
            raise LookupError(f"the code '{written}' of {source} stands for nothing in its table")
        return codes.utterances[written]

    def members(self, name: str) -> tuple[str, ...]:
        """The device ids that a device or group id stands for."""
        return self.groups[name].members if name in self.groups else (name,)

    def room_name(self, room: str, language: str = "") -> str:
        """A room's first spoken name in a language."""
        shown = self.rooms_shown.get(room, NO_TEXTS)
        for key in (language, "", *shown):
            if shown.get(key):
                return shown[key][0]
        return room
