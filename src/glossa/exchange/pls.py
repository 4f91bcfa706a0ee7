"""Pronunciation lexicons: the W3C Pronunciation Lexicon Specification 1.0 (W3C Recommendation, 14 October 2008), out and in."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from itertools import product
from types import MappingProxyType

from lxml import etree
from msgspec import Struct

from glossa.exchange.of_house import grammar_of
from glossa.exchange.rules import GrammarProblem, vocabulary
from glossa.exchange.xml import line_of, local, parse_xml
from glossa.house.model import House
from glossa.house.text import words as folded
from glossa.language.phones import Phones, phones

NAMESPACE = "http://www.w3.org/2005/01/pronunciation-lexicon"
_XML = "{http://www.w3.org/XML/1998/namespace}"

IPA: Mapping[str, str] = MappingProxyType(
    {
        "AA": "ɑ", "AE": "æ", "AH": "ʌ", "AO": "ɔ", "AW": "aʊ", "AY": "aɪ", "EH": "ɛ", "ER": "ɝ", "EY": "eɪ", "IH": "ɪ", "IY": "i", "OW": "oʊ", "OY": "ɔɪ",
        "UH": "ʊ", "UW": "u", "B": "b", "CH": "tʃ", "D": "d", "DH": "ð", "F": "f", "G": "ɡ", "HH": "h", "JH": "dʒ", "K": "k", "L": "l", "M": "m", "N": "n",
        "NG": "ŋ", "P": "p", "R": "ɹ", "S": "s", "SH": "ʃ", "T": "t", "TH": "θ", "V": "v", "W": "w", "Y": "j", "Z": "z", "ZH": "ʒ",
    }
)  # fmt: skip
"""Our phones in the International Phonetic Alphabet (revised to 2020)."""

_HEARD_AS: Mapping[str, str] = MappingProxyType(
    {
        **{ipa: phone for phone, ipa in IPA.items()}, "g": "G", "r": "R", "ɚ": "ER", "ɜ": "ER", "ə": "AH", "ɒ": "AA", "a": "AE", "e": "EH", "o": "OW", "əʊ": "OW",
        "ʧ": "CH", "ʤ": "JH", "t͡ʃ": "CH", "d͡ʒ": "JH", "ɐ": "AH", "ɾ": "T", "x": "K", "iː": "IY", "uː": "UW", "ɑː": "AA", "ɔː": "AO", "ɜː": "ER", "ɪə": "IH", "eə": "EH", "ʊə": "UH",
        "ɹ": "R", "ɫ": "L", "ʍ": "W",
    }
)  # fmt: skip
_LONGEST = max(map(len, _HEARD_AS))
_SILENT = "ˈˌ.ː‿ |ˑ'͡"
"""Marks of stress, length and syllables, which are not compared."""

_SPELT: Mapping[str, tuple[str, ...]] = MappingProxyType(
    {
        "AA": ("o", "ah"), "AE": ("a",), "AH": ("u", "a"), "AO": ("aw", "or"), "AW": ("ow", "ou"), "AY": ("y", "igh", "i"), "EH": ("e",), "ER": ("er", "ur"), "EY": ("ay", "ai"), "IH": ("i",),
        "IY": ("ee", "ea"), "OW": ("oa", "ow"), "OY": ("oy", "oi"), "UH": ("oo", "u"), "UW": ("oo", "ew"), "B": ("b",), "CH": ("ch",), "D": ("d",), "DH": ("th",), "F": ("f",), "G": ("g",),
        "HH": ("h",), "JH": ("j",), "K": ("k", "c"), "L": ("l", "ll"), "M": ("m",), "N": ("n",), "NG": ("ng",), "P": ("p",), "R": ("r",), "S": ("s", "ss"), "SH": ("sh",), "T": ("t", "tt"), "TH": ("th",),
        "V": ("v",), "W": ("w",), "Y": ("y",), "Z": ("z",), "ZH": ("zh",),
    }
)  # fmt: skip
"""Ways to write a phone, the commonest first."""
MOST_SPELLINGS = 4_000


class Lexeme(Struct, frozen=True):
    """One entry: how something is written, other words that sound like it, how it sounds in IPA, and its line."""

    graphemes: tuple[str, ...]
    aliases: tuple[str, ...] = ()
    phonemes: tuple[str, ...] = ()
    line: int = 0


def write_pls(house: House, language: str = "", mode: str = "") -> str:
    """A lexicon of all that a house understands: its own respellings and ``also_heard`` as aliases, and every word with its sounds in IPA.

    A language without rules for its sounds has aliases alone.
    """
    tag = language or house.languages[0]
    root = etree.Element(f"{{{NAMESPACE}}}lexicon", nsmap={None: NAMESPACE})  # type: ignore[dict-item]
    root.set("version", "1.0")
    root.set("alphabet", "ipa")
    root.set(f"{_XML}lang", tag)
    for lexeme in _lexemes(house, tag, mode):
        element = etree.SubElement(root, f"{{{NAMESPACE}}}lexeme")
        for name, texts in (("grapheme", lexeme.graphemes), ("phoneme", lexeme.phonemes), ("alias", lexeme.aliases)):
            for text in texts:
                etree.SubElement(element, f"{{{NAMESPACE}}}{name}").text = text
    etree.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + etree.tostring(root, encoding="unicode") + "\n"


def _lexemes(house: House, tag: str, mode: str) -> Iterator[Lexeme]:
    sounds = house.words.sounds
    for word in vocabulary(grammar_of(house, tag, mode)):
        key = " ".join(folded(word))
        if key in sounds:
            yield Lexeme((word,), (" ".join(sounds[key]),))
        elif ipa := in_ipa(phones(re.sub(r"[^\w]", "", word.lower()), tag)):
            yield Lexeme((word,), phonemes=(ipa,))
    named = [(d.names, d.also_heard) for d in house.devices.values()]
    if house.wake is not None:
        named.append((house.wake.words, house.wake.also_heard))
    for names, heard in named:
        said = [n for key in (tag, "") for n in names.get(key, ())]
        for other in (n for key in (tag, "") for n in heard.get(key, ())):
            if said and said[0] != other:
                yield Lexeme((" ".join(said[0]),), (" ".join(other),))


def in_ipa(sound: Phones) -> str:
    """Phones in IPA, ``""`` where one of them is none of English.

    >>> in_ipa(("L", "AE", "M", "P"))
    'læmp'
    """
    return "".join(IPA[p] for p in sound) if sound and all(p in IPA for p in sound) else ""


def from_ipa(text: str) -> Phones | None:
    """The phones that IPA stands for, stress and length aside; None where a sign is not known.

    >>> from_ipa("ˈlæmp"), from_ipa("ʘ")
    (('L', 'AE', 'M', 'P'), None)
    """
    found, at = [], 0
    while at < len(text):
        for size in range(_LONGEST, 0, -1):
            if text[at : at + size] in _HEARD_AS:
                found.append(_HEARD_AS[text[at : at + size]])
                at += size
                break
        else:
            if text[at] not in _SILENT:
                return None
            at += 1
    return tuple(found)


def respelt(sound: Phones, tag: str) -> str:
    """Letters that sound like some phones by the reading rules of a language, ``""`` where none were found.

    >>> respelt(("R", "EH", "N"), "en")
    'ren'
    """
    ways = [_SPELT.get(p, ()) for p in sound]
    if not all(ways):
        return ""
    for number, letters in enumerate(product(*ways)):
        if number >= MOST_SPELLINGS:
            break
        if phones("".join(letters), tag) == sound:
            return "".join(letters)
    return ""


def read_pls(data: bytes) -> tuple[list[Lexeme], str, list[GrammarProblem]]:
    """The entries of a lexicon, its language, and what in it can't be read, by the line."""
    problems: list[GrammarProblem] = []
    root = parse_xml(data, problems)
    if root is None or local(root) != "lexicon":
        if root is not None:
            problems.append(GrammarProblem(line_of(root), f"<{local(root)}> is no <lexicon>"))
        return [], "", problems
    found: list[Lexeme] = []
    for element in root:
        if local(element) != "lexeme":
            if local(element) not in ("meta", "metadata"):
                problems.append(GrammarProblem(line_of(element), f"<{local(element)}> can't stand in a <lexicon>"))
            continue
        texts = {
            name: tuple(t for e in element if local(e) == name and (t := " ".join((e.text or "").split())))
            for name in ("grapheme", "alias", "phoneme")
        }
        alphabets = {e.get("alphabet") or root.get("alphabet") or "ipa" for e in element if local(e) == "phoneme"}
        if alphabets - {"ipa"}:
            problems.append(
                GrammarProblem(line_of(element), f"the alphabet '{sorted(alphabets - {'ipa'})[0]}' is not known; write ipa")
            )
            texts["phoneme"] = ()
        if not texts["grapheme"]:
            problems.append(GrammarProblem(line_of(element), "a <lexeme> without a <grapheme> says nothing"))
        else:
            found.append(Lexeme(texts["grapheme"], texts["alias"], texts["phoneme"], line_of(element)))
    return found, root.get(f"{_XML}lang") or "", problems


def respellings(lexemes: Sequence[Lexeme], tag: str) -> tuple[dict[str, str], list[GrammarProblem]]:
    """What lexemes say as ``[sounds]`` of a house file has it, word -> respelling, and what can't be said there.

    A word that sounds so by the reading rules already needs no entry.
    """
    found: dict[str, str] = {}
    problems: list[GrammarProblem] = []
    for lexeme in lexemes:
        for word in lexeme.graphemes:
            if len(folded(word)) != 1:
                problems.append(GrammarProblem(lexeme.line, f"“{word}” is not one word; [sounds] takes single words"))
                continue
            spelling = next(iter(lexeme.aliases), "")
            for ipa in lexeme.phonemes if not spelling else ():
                sound = from_ipa(ipa)
                if sound is None:
                    problems.append(GrammarProblem(lexeme.line, f"“{word}”: '{ipa}' has a sign that is not known"))
                elif sound == phones(folded(word)[0], tag):
                    break
                else:
                    spelling = respelt(sound, tag)
                    if spelling:
                        break
                    problems.append(
                        GrammarProblem(lexeme.line, f"“{word}”: no spelling was found that reads as '{ipa}'; write one yourself")
                    )
            if spelling and folded(spelling) != folded(word):
                found[word] = spelling
    return found, problems
