"""The ABNF form of the W3C Speech Recognition Grammar Specification 1.0 (W3C Recommendation, 16 March 2004), out and in.

What a rule holds is in the phrase notation, which is a part of this form; only what stands around it is written and read here.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from glossa.exchange.rules import BROKEN, SCRIPTS, Grammar, GrammarProblem, Rule, alternatives
from glossa.house.notation import MOST_DEPTH, MOST_REPEATS, Choice, Node, NotationError, Reference, Repeat, Row, Tag, Word, parse

MARK = "#ABNF 1.0"
_PLAIN_WORD = re.compile(r"[^\s()\[\]|<>{}$/\"!;=*]+")
_PIECES = re.compile(
    r"""(?P<comment>//[^\n]*|/\*.*?\*/)|(?P<quoted>"[^"]*")|(?P<tag>\{!\{.*?\}!\}|\{[^{}]*\})|(?P<uri><[^<>\s][^<>]*[:/\#.][^<>]*>)|(?P<end>;)|(?P<other>[^/"{<;]+|.)""",
    re.VERBOSE | re.DOTALL,
)
_RULE = re.compile(r"\s*(?:(?P<scope>public|private)\s+)?\$(?P<name>[^\s=$;]+)\s*=(?P<text>.*)", re.DOTALL)
_HEADER = re.compile(r"\s*(?P<key>language|mode|root|tag-format|base|lexicon|meta|http-equiv)\b(?P<text>.*)", re.DOTALL)
_ATTACHED = re.compile(r"(?<=[^\s(\[|])![A-Za-z]{1,8}(?:-[A-Za-z0-9]{1,8})*(?=[\s)\]|<;]|$)")
_NOTHING = re.compile(r"\([ \t]*\)")
_ELSEWHERE = re.compile(r"\$\$?<")
NAME = re.compile(r"\w+")


# --- out ------------------------------------------------------------------------------------------------------------


def write_abnf(grammar: Grammar) -> str:
    """A grammar in ABNF form, UTF-8, with literal tags."""
    lines = [
        f"{MARK} UTF-8;",
        *([f"// {grammar.title}"] if grammar.title else []),
        f"language {grammar.language or 'en'};",
        f"mode {grammar.mode};",
    ]
    lines += [*([f"root ${grammar.root};"] if grammar.root else []), "tag-format <semantics/1.0-literals>;", ""]
    for rule in grammar.rules.values():
        lines.append(f"{'public ' if rule.public else ''}${rule.name} = {_expansion(rule.node)};")
    return "\n".join(lines) + "\n"


def _expansion(node: Node) -> str:
    if isinstance(node, Choice) and len(node.options) > 3:
        return "\n    " + "\n  | ".join(alternatives(node, written))
    return written(node)


def written(node: Node) -> str:
    """A tree in the phrase notation.

    >>> written(parse("(turn | switch)  [the] $device"))
    '(turn | switch) [the] $device'
    """
    match node:
        case Word(text):
            return text if _PLAIN_WORD.fullmatch(text) else '"' + text.replace('"', "") + '"'
        case Reference(name):
            return f"${name}"
        case Tag(value):
            return f"{{!{{{value}}}!}}" if set(value) & set("{}") else f"{{{value}}}"
        case Row(parts):
            return " ".join(f"({written(p)})" if isinstance(p, (Choice, Row)) else written(p) for p in parts) or "$NULL"
        case Choice():
            return " | ".join(alternatives(node, written))
        case Repeat(part, 0, 1):
            return f"[{written(part)}]"
        case Repeat(part, least, most):
            inner = written(part) if isinstance(part, (Word, Reference)) else f"({written(part)})"
            return f"{inner}<{least}>" if least == most else f"{inner}<{least}-{'' if most == MOST_REPEATS else most}>"


# --- in -------------------------------------------------------------------------------------------------------------


def read_abnf(text: str) -> tuple[Grammar, list[GrammarProblem]]:
    """A grammar in ABNF form, and what in it can't be read, by the line.

    Languages attached to words (``Montréal!fr``) are read over and noted; what refers to other files is a problem, for nothing is fetched.
    """
    found: list[GrammarProblem] = []
    rules: dict[str, Rule] = {}
    notes: list[GrammarProblem] = []
    header = {"language": "", "mode": "voice", "root": "", "tag-format": ""}
    for line, declaration, doc in _declarations(text, found):
        rule = _RULE.fullmatch(declaration)
        head = _HEADER.fullmatch(declaration)
        if rule is not None:
            name = rule["name"]
            start = line + declaration[: rule.start("text")].count("\n")
            node = read_expansion(rule["text"], start, found)
            for attached in dict.fromkeys(a[0] for a in _ATTACHED.finditer(rule["text"])):
                notes.append(GrammarProblem(line, f"${name}: the language '{attached[1:]}' of some words"))
            if name in rules:
                found.append(GrammarProblem(line, f"the rule ${name} stands on line {rules[name].line} too"))
            elif not NAME.fullmatch(name):
                found.append(GrammarProblem(line, f"'{name}' is no name of a rule; write letters, digits and _"))
            else:
                rules[name] = Rule(name, node or BROKEN, rule["scope"] == "public", line, doc)
        elif head is not None:
            value = head["text"].strip().strip("$")
            if head["key"] in header:
                header[head["key"]] = value
            elif head["key"] == "lexicon":
                found.append(GrammarProblem(line, "a lexicon is a file of its own; import it by itself"))
        elif not declaration.lstrip().startswith(MARK.split()[0]):
            found.append(GrammarProblem(line, f"this is neither a rule nor a header: '{' '.join(declaration.split())[:40]}'"))
    if header["mode"] == "dtmf":
        found.append(GrammarProblem(0, "the grammar is for keys (mode dtmf), not for speech"))
    scripts = header["tag-format"].strip("<>") == SCRIPTS
    return Grammar(rules, header["root"], header["language"], mode=header["mode"], scripts=scripts, notes=tuple(notes)), found


def _declarations(text: str, problems: list[GrammarProblem]) -> Iterator[tuple[int, str, str]]:
    """(line, text, what its comment says) of whatever ends with a semicolon; comments are blanked, so that lines stay."""
    line, start, held, doc = 1, 1, "", ""
    for piece in _PIECES.finditer(text):
        part = piece.group()
        if not held.strip():
            start = line + len(part[: len(part) - len(part.lstrip())].split("\n")) - 1
        if piece.lastgroup == "comment":
            if part.startswith("/**"):
                doc = " ".join(part.strip("/*").replace("\n *", " ").split())
            held += " " + "\n" * part.count("\n")
        elif piece.lastgroup == "end":
            yield start, held.lstrip(), doc
            held, doc = "", ""
        else:
            held += part if held or part.strip() else ""
        line += part.count("\n")
    if held.strip():
        problems.append(GrammarProblem(start, f"no ';' ends this: '{' '.join(held.split())[:40]}'"))


def deepest(text: str) -> int:
    """How deep the brackets of a text are nested, quickly."""
    depth = most = 0
    for mark in re.finditer(r"[()\[\]]", text):
        depth += 1 if mark[0] in "([" else -1
        most = max(most, depth)
    return most


def read_expansion(text: str, line: int, problems: list[GrammarProblem]) -> Node | None:
    """What a rule holds, which begins on a line; None where it can't be read, which is noted."""
    elsewhere = _ELSEWHERE.search(text)
    if elsewhere is not None:
        at = line + text[: elsewhere.start()].count("\n")
        problems.append(GrammarProblem(at, "a rule of another file is named; nothing is fetched, so copy it into this one"))
        return None
    bare = _NOTHING.sub("$NULL", _ATTACHED.sub("", text))
    if deepest(bare) > MOST_DEPTH:
        problems.append(GrammarProblem(line, f"brackets are nested more than {MOST_DEPTH} deep"))
        return None
    try:
        return parse(bare)
    except NotationError as error:
        problems.append(GrammarProblem(line + text[: error.at].count("\n"), error.reason))
    return None
