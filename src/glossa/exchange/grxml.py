"""The XML form of the W3C Speech Recognition Grammar Specification 1.0 (W3C Recommendation, 16 March 2004), out and in."""

from __future__ import annotations

import re

from lxml import etree

from glossa.exchange.rules import BROKEN, SCRIPTS, SPECIAL, Grammar, GrammarProblem, Rule
from glossa.exchange.xml import line_of, local, parse_xml
from glossa.house.notation import MOST_REPEATS, Choice, Node, Reference, Repeat, Row, Tag, Word

NAMESPACE = "http://www.w3.org/2001/06/grammar"
_XML = "{http://www.w3.org/XML/1998/namespace}"
_REPEAT = re.compile(r"\s*(\d+)\s*(-\s*(\d*))?\s*")
_NAME = re.compile(r"[\w]+")


# --- out ------------------------------------------------------------------------------------------------------------


def write_grxml(grammar: Grammar) -> str:
    """A grammar in XML form, UTF-8, with literal tags."""
    root = etree.Element(f"{{{NAMESPACE}}}grammar", nsmap={None: NAMESPACE})  # type: ignore[dict-item]
    root.set("version", "1.0")
    root.set(f"{_XML}lang", grammar.language or "en")
    root.set("mode", grammar.mode)
    root.set("tag-format", "semantics/1.0-literals")
    if grammar.root:
        root.set("root", grammar.root)
    if grammar.title:
        root.append(etree.Comment(f" {grammar.title.replace('--', '- -')} "))
    for rule in grammar.rules.values():
        element = _below(root, "rule", id=rule.name, **({"scope": "public"} if rule.public else {}))
        _write(element, rule.node)
    etree.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + etree.tostring(root, encoding="unicode") + "\n"


def _below(parent: etree._Element, name: str, text: str = "", **attributes: str) -> etree._Element:
    element = etree.SubElement(parent, f"{{{NAMESPACE}}}{name}", attributes)
    if text:
        element.text = text
    return element


def _say(parent: etree._Element, word: str) -> None:
    """Add a word behind what an element holds already."""
    if len(parent):
        parent[-1].tail = f"{parent[-1].tail or ''} {word} ".replace("  ", " ")
    else:
        parent.text = f"{parent.text or ''} {word} ".replace("  ", " ")


def _write(parent: etree._Element, node: Node) -> None:
    match node:
        case Word(text):
            _say(parent, text if len(text.split()) == 1 else f'"{text}"')
        case Reference(name) if name in SPECIAL:
            _below(parent, "ruleref", special=name)
        case Reference(name):
            _below(parent, "ruleref", uri=f"#{name}")
        case Tag(value):
            _below(parent, "tag", value)
        case Row(parts):
            for part in parts:
                _write(_below(parent, "item") if isinstance(part, Row) else parent, part)
        case Choice(options, weights):
            one_of = _below(parent, "one-of")
            for option, weight in zip(options, weights, strict=True):
                item = _below(one_of, "item", **({"weight": f"{weight:g}"} if len(set(weights)) > 1 else {}))
                _write(item, option)
        case Repeat(part, least, most):
            item = _below(parent, "item", repeat=str(least) if least == most else f"{least}-{most}")
            _write(item, part)


# --- in -------------------------------------------------------------------------------------------------------------


def read_grxml(data: bytes) -> tuple[Grammar, list[GrammarProblem]]:
    """A grammar in XML form, and what in it can't be read, by the line. Nothing that it refers to is fetched."""
    problems: list[GrammarProblem] = []
    root = parse_xml(data, problems)
    if root is None or local(root) != "grammar":
        if root is not None:
            problems.append(GrammarProblem(line_of(root), f"<{local(root)}> is no <grammar>"))
        return Grammar(), problems
    rules: dict[str, Rule] = {}
    for element in root:
        name, line = element.get("id") or "", line_of(element)
        if local(element) == "rule":
            if not _NAME.fullmatch(name):
                problems.append(
                    GrammarProblem(line, f"'{name}' is no name of a rule; write id=\"...\" with letters, digits and _")
                )
            elif name in rules:
                problems.append(GrammarProblem(line, f"the rule '{name}' stands on line {rules[name].line} too"))
            else:
                node = _Reading(problems).row(element)
                if node is None:
                    problems.append(GrammarProblem(line, f"the rule '{name}' holds nothing"))
                rules[name] = Rule(name, node or BROKEN, element.get("scope") == "public", line)
        elif local(element) == "lexicon":
            problems.append(GrammarProblem(line, "a lexicon is a file of its own; import it by itself"))
        elif local(element) not in ("meta", "metadata", "tag"):
            problems.append(GrammarProblem(line, f"<{local(element)}> can't stand in a <grammar>"))
    if root.get("mode") == "dtmf":
        problems.append(GrammarProblem(line_of(root), "the grammar is for keys (mode dtmf), not for speech"))
    head = {"root": root.get("root") or "", "language": root.get(f"{_XML}lang") or "", "mode": root.get("mode") or "voice"}
    notes = tuple(
        GrammarProblem(line_of(e), f"the language '{e.get(f'{_XML}lang')}' of <{local(e)}>")
        for rule in root
        for e in rule.iter()
        if e.get(f"{_XML}lang")
    )
    return Grammar(rules, **head, scripts=root.get("tag-format") == SCRIPTS, notes=notes), problems


class _Reading:
    def __init__(self, problems: list[GrammarProblem]) -> None:
        self._problems = problems

    def _bad(self, element: etree._Element, what: str) -> None:
        self._problems.append(GrammarProblem(line_of(element), what))

    def row(self, element: etree._Element) -> Node | None:
        """What an element holds, one after the other; None for nothing."""
        parts: list[Node] = [*_words(element.text)]
        for child in element:
            node = self._node(child)
            if node is not None:
                parts.append(node)
            parts += _words(child.tail)
        return None if not parts else parts[0] if len(parts) == 1 else Row(tuple(parts))

    def _node(self, element: etree._Element) -> Node | None:
        match local(element):
            case "item":
                return self._repeated(element)
            case "one-of":
                return self._choice(element)
            case "ruleref":
                return self._reference(element)
            case "token":
                words = _words(element.text)
                return None if not words else words[0] if len(words) == 1 else Row(tuple(words))
            case "tag":
                return Tag((element.text or "").strip())
            case "example":
                return None
            case name:
                self._bad(element, f"<{name}> can't stand here")
                return None

    def _repeated(self, element: etree._Element) -> Node | None:
        inner, written = self.row(element), element.get("repeat")
        if written is None or inner is None:
            return inner if inner is not None else Reference("NULL")
        found = _REPEAT.fullmatch(written)
        least = int(found[1]) if found else 0
        most = 0 if not found else least if not found[2] else int(found[3]) if found[3] else max(least, MOST_REPEATS)
        if not found or most < max(least, 1) or most > MOST_REPEATS:
            self._bad(element, f'repeat="{written}" is no range; write one as in "0-3", up to {MOST_REPEATS}')
            return inner
        return inner if least == most == 1 else Repeat(inner, least, most)

    def _choice(self, element: etree._Element) -> Node | None:
        options: list[Node] = []
        weights: list[float] = []
        for item in element:
            if local(item) != "item":
                self._bad(item, f"<{local(item)}> can't stand in <one-of>; write <item>")
                continue
            try:
                weight = float(item.get("weight") or 1.0)
            except ValueError:
                weight = 0.0
            if not 0 < weight < float("inf"):
                self._bad(item, f'weight="{item.get("weight")}" is no number greater than 0')
                weight = 1.0
            options.append(self._repeated(item) or Reference("NULL"))
            weights.append(weight)
        if not options:
            self._bad(element, "<one-of> holds no <item>")
        return None if not options else options[0] if len(options) == 1 else Choice(tuple(options), tuple(weights))

    def _reference(self, element: etree._Element) -> Node | None:
        special, uri = element.get("special"), element.get("uri") or ""
        if special in SPECIAL:
            return Reference(special)
        if not uri.startswith("#") or not _NAME.fullmatch(uri[1:]):
            what = f'special="{special}"' if special else f"the rule '{uri}'"
            self._bad(element, f"{what} is not in this file; nothing is fetched, so copy it into this one")
            return None
        return Reference(uri[1:])


def _words(text: str | None) -> list[Word]:
    """The words of a text, those in quotation marks too."""
    return [Word(w) for w in (text or "").replace('"', " ").split()]
