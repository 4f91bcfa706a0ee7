"""The reference of the house file as a page in Markdown."""

from __future__ import annotations

from collections.abc import Iterator

from glossa.reference.keys import Key, Topic, topics

_HEAD = """# The house file

One file, `house.toml` (TOML 1.0), describes one house: its links, its devices, what is said and what it does. Everything is optional but
`[house] name` and one intent or phrase table. Unknown keys, wrong types, dangling references and doubles are errors that name the file, the
line, the key and the nearest known word; `glossa check` lists all of them. `glossa show key NAME` prints the entry of a key from this page, and
`glossa new` writes a schema with which editors complete keys and underline mistakes while you type.

A text that is spoken or shown may be a table by language instead: `names = { en = ["lamp"], es = ["lampara"] }`.

This page is written by `scripts/docs.py` from the schema that houses are read with.
"""


def house_page() -> str:
    """The page: an overview of the sections, then each with its keys."""
    return "\n".join([_HEAD, *_overview(), *(line for topic in topics() for line in _section(topic))])


def _overview() -> Iterator[str]:
    yield "| section | what it is for |\n|---|---|"
    for topic in topics():
        yield f"| [`{topic.header}`](#{topic.section}) | {_cell(topic.does)} |"
    yield ""


def _section(topic: Topic) -> Iterator[str]:
    yield f'## <a name="{topic.section}"></a>`{topic.header}`\n\n{topic.does}\n'
    yield f"```toml\n{topic.example}\n```\n"
    for key in topic.keys:
        yield from _entry(key)


def _entry(key: Key) -> Iterator[str]:
    facts = [
        key.type,
        f"default: {key.default}" if key.default != "must be given" else "**must be given**",
        *([f"in {key.unit}"] if key.unit else []),
    ]
    yield f'### <a name="{key.path}"></a>`{key.name}`\n\n{key.does}\n'
    yield f"*{'; '.join(facts)}* · `{key.example}`\n"
    if key.wrong:
        yield f"Beware: {key.wrong}\n"


def _cell(text: str) -> str:
    return text.replace("|", "\\|")
