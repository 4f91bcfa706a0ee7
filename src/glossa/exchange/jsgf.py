"""The JSpeech Grammar Format (W3C Note, 5 June 2000), out and in."""

from __future__ import annotations

import re
from collections.abc import Iterator

from glossa.exchange.abnf import read_expansion
from glossa.exchange.rules import BROKEN, Grammar, GrammarProblem, Rule, alternatives
from glossa.house.notation import MOST_REPEATS, Choice, Node, Reference, Repeat, Row, Tag, Word

MARK = "#JSGF"
NAME = re.compile(r"[\w.:+\-]+")
_PIECES = re.compile(
    r"""(?P<comment>//[^\n]*|/\*.*?\*/)|(?P<quoted>"(?:\\.|[^"\\])*")|(?P<tag>\{(?:\\.|[^{}\\])*\})|(?P<rule><[^<>]+>)|(?P<end>;)
      |(?P<weight>/\s*[\d.]+(?:[eE][+-]?\d+)?\s*/)|(?P<repeat>[*+])|(?P<gap>\s+)|(?P<equals>=)|(?P<mark>[()\[\]|])|(?P<word>(?:\\.|[^\s/"{}<>;*+=()\[\]|])+)|(?P<other>.)""",
    re.VERBOSE | re.DOTALL,
)
_MUST_BE_QUOTED = re.compile(r"[;=|*+<>()\[\]{}/\"\\\s]")


# --- out ------------------------------------------------------------------------------------------------------------


def write_jsgf(grammar: Grammar, name: str = "house") -> str:
    """A grammar in this format, UTF-8. It has no rule for anything at all: where such stands, a comment says so, and nothing is accepted."""
    language = f" {grammar.language}" if grammar.language else ""
    lines = [f"#JSGF V1.0 UTF-8{language};", *([f"// {grammar.title}"] if grammar.title else []), f"grammar {name};", ""]
    for rule in grammar.rules.values():
        if _holds_garbage(rule.node):
            lines.append("// $GARBAGE, anything at all, can't be said in this format; <VOID> stands for it")
        public = "public " if rule.public or rule.name == grammar.root else ""
        lines.append(f"{public}<{rule.name}> = {_expansion(rule.node)};")
    return "\n".join(lines) + "\n"


def _holds_garbage(node: Node) -> bool:
    from glossa.exchange.rules import parts_of

    return node == Reference("GARBAGE") or any(_holds_garbage(p) for p in parts_of(node))


def _expansion(node: Node) -> str:
    if isinstance(node, Choice) and len(node.options) > 3:
        return "\n    " + "\n  | ".join(alternatives(node, _written))
    return _written(node)


def _written(node: Node) -> str:
    match node:
        case Word(text):
            return '"' + text.replace("\\", "").replace('"', "") + '"' if _MUST_BE_QUOTED.search(text) else text
        case Reference(name):
            return "<VOID>" if name == "GARBAGE" else f"<{name}>"
        case Tag(value):
            return "{" + re.sub(r"([\\{}])", r"\\\1", value) + "}"
        case Row(parts):
            return " ".join(f"({_written(p)})" if isinstance(p, (Choice, Row)) else _written(p) for p in parts) or "<NULL>"
        case Choice():
            return " | ".join(alternatives(node, _written))
        case Repeat(part, 0, 1):
            return f"[{_written(part)}]"
        case Repeat(part, least, most):
            inner = _written(part) if isinstance(part, (Word, Reference)) else f"({_written(part)})"
            if most >= MOST_REPEATS and least <= 1:
                return inner + ("*" if least == 0 else "+")
            more = ""
            for _ in range(most - least):
                more = f"[{inner} {more}]" if more else f"[{inner}]"
            return " ".join([*[inner] * least, *([more] if more else [])])


# --- in -------------------------------------------------------------------------------------------------------------


def read_jsgf(text: str) -> tuple[Grammar, list[GrammarProblem]]:
    """A grammar in this format, and what in it can't be read, by the line. Rules of other grammars are problems, for nothing is fetched."""
    problems: list[GrammarProblem] = []
    rules: dict[str, Rule] = {}
    language = ""
    for line, pieces, doc in _declarations(text, problems):
        bare = [p for p in pieces if p[0] != "gap"]
        words = [p[1] for p in bare if p[0] == "word"]
        public = bare[:1] == [("word", "public")]
        if words[:1] == ["#JSGF"]:
            language = words[3] if len(words) > 3 else ""
        elif words[:1] == ["import"]:
            problems.append(
                GrammarProblem(line, f"{bare[-1][1]} is of another grammar; nothing is fetched, so copy its rules into this file")
            )
        elif words[:1] == ["grammar"]:
            pass
        elif [kind for kind, _ in bare[public : public + 2]] == ["rule", "equals"]:
            written_name = bare[public][1].strip("<> ")
            begin = next(n for n, p in enumerate(pieces) if p[0] == "equals") + 1
            start = line + sum(p[1].count("\n") for p in pieces[:begin])
            node = read_expansion("".join(_as_abnf(k, t, start, problems) for k, t in pieces[begin:]), start, problems)
            name = _name(written_name)
            if name in rules:
                problems.append(GrammarProblem(line, f"the rule <{written_name}> stands on line {rules[name].line} too"))
            else:
                rules[name] = Rule(name, node or BROKEN, public, line, doc)
        else:
            shown = " ".join("".join(t for _, t in pieces).split())[:40]
            problems.append(GrammarProblem(line, f"this is no rule: '{shown}'; write <name> = ...;"))
    return Grammar(rules, "", language), problems


def _name(written_name: str) -> str:
    """A name of a rule as the other notations have it."""
    return re.sub(r"\W", "_", written_name.rsplit(".", 1)[-1])


def _as_abnf(kind: str, text: str, line: int, problems: list[GrammarProblem]) -> str:
    match kind:
        case "rule":
            name = text.strip("<> \t\n")
            return f"${name}" if name in ("NULL", "VOID") else f"${_name(name)}"
        case "repeat":
            return "<0->" if text == "*" else "<1->"
        case "tag":
            return "{!{" + re.sub(r"\\(.)", r"\1", text[1:-1]) + "}!}"
        case "weight":
            return f"/{max(float(text.strip('/ ')), 1e-9):.9f}/"
        case "word":
            plain = re.sub(r"\\(.)", r"\1", text)
            return f'"{plain}"' if re.search(r"[$<>{}/!]", plain) else plain
        case "quoted":
            return '"' + re.sub(r"\\(.)", r"\1", text[1:-1]).replace('"', "") + '"'
        case "other":
            problems.append(GrammarProblem(line, f"'{text}' can't stand here"))
            return " "
        case _:
            return text


def _declarations(text: str, problems: list[GrammarProblem]) -> Iterator[tuple[int, list[tuple[str, str]], str]]:
    """(line, pieces, what its comment says) of whatever ends with a semicolon."""
    line, start, doc = 1, 1, ""
    held: list[tuple[str, str]] = []
    for piece in _PIECES.finditer(text):
        kind, part = str(piece.lastgroup), piece.group()
        if kind == "comment":
            if part.startswith("/**"):
                doc = " ".join(part.strip("/*").replace("\n *", " ").split())
            held.append(("gap", " " + "\n" * part.count("\n")))
        elif kind == "end":
            yield start, held, doc
            held, doc = [], ""
        elif held or kind != "gap":
            if not any(k != "gap" for k, _ in held):
                start, held = line, []
            held.append((kind, part))
        line += part.count("\n")
    if any(k != "gap" for k, _ in held):
        problems.append(GrammarProblem(start, f"no ';' ends this: '{' '.join(''.join(t for _, t in held).split())[:40]}'"))
