"""``glossa import``."""

from __future__ import annotations

import csv
import difflib
import io
import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from glossa.cli.main import house_argument
from glossa.extras import need
from glossa.files import find_house, load_house, read_text, sheets_beside, write_file, write_house
from glossa.house import House, HouseError, Problem, read_house
from glossa.house.problems import nearest
from glossa.house.text import many
from glossa.language import languages, meant

if TYPE_CHECKING:
    from glossa.exchange.into_house import Edited
    from glossa.exchange.rules import Grammar, GrammarProblem

MOST_BYTES = 5_000_000
"""Files that are larger are none that a person wrote."""


@click.command(name="import")
@house_argument()
@click.argument("files", nargs=-1, required=True, metavar="FILE...", type=click.Path(path_type=Path))
@click.option("--write", is_flag=True, help="Write it; what the house file was is kept beside it.  [default: show the changes]")
@click.option(
    "--language", default="", metavar="TAG", help="Of the phrases.  [default: what the file says, else the first of the house]"
)
@click.option(
    "--columns",
    default="",
    metavar="OURS=THEIRS,...",
    help="For a CSV table: which column is which, as in phrase=Spoken,text=Code; link=LINK for all rows.",
)
def take_over(house: str, files: tuple[Path, ...], write: bool, language: str, columns: str) -> None:
    """Take over what is written in other notations, into a house file whose comments and order stay as they are.

    \b
    SRGS 1.0 (ABNF or XML), JSGF   phrases of intents; new intents send nothing yet
    PLS 1.0                        how words sound, as [sounds]
    Thing Descriptions 1.1 (JSON)  devices, their kinds, links, and what is said to them
    CSV                            a table of phrases and what each sends

    Which notation it is, is told by what is in the file. What can't be taken over is listed with file and line.

    \b
    Examples:
      glossa import my-home phrases.abnf
      glossa import my-home lamp.td.json --write
      glossa import my-home codes.csv --columns phrase=Spoken,text=Code,link=home
    """
    need("tomlkit", extra="exchange")

    home, path = load_house(house), find_house(house)
    if language and not meant(language, home.languages):
        raise click.BadParameter(
            f"the house has no language '{language}' ({nearest(language, home.languages)})", param_hint="--language"
        )
    language = _language_of(language, home)
    before = text = read_text(path)
    beside: dict[str, str] = {}
    for file in files:
        try:
            edited = taken(file, text, home, {**sheets_beside(path, text), **beside}, language, _columns(columns))
        except RecursionError:
            raise _wrong(file, [(0, "", "its rules, or what it holds, lead into one another too deep")]) from None
        text, beside = edited.text, {**beside, **edited.files}
        home = read_house(text, {**sheets_beside(path, text), **beside}, str(path), languages())
        _tell(file, edited)
    if text == before and not beside:
        click.echo("nothing to add")
        return
    show_change(before, text, str(path))
    for name, content in beside.items():
        if (path.parent / name).exists():
            raise HouseError(
                [
                    Problem(
                        str(path.parent / name), 0, "", "is there already", "rename the file that you import; nothing was written"
                    )
                ]
            )
        show_change("", content, str(path.parent / name))
    if not write:
        click.echo("not written; --write writes it")
        return
    for name, content in beside.items():
        write_file(path.parent / name, content)
        click.echo(f"wrote {path.parent / name}")
    click.echo(f"wrote {path}; what it was is in {write_house(path, text)}")


def begun(name: str, files: Sequence[Path]) -> dict[str, str]:
    """The files of a house that begins with what some files describe: name -> text, a first table among them.

    Raises:
        HouseError: where one of them can't be taken over.
    """
    need("tomlkit", extra="exchange")
    shown = name.replace("_", " ").replace("-", " ").capitalize() or "My home"
    stand_in = '\n[intents.stand_in]\nphrases = ["stand in"]\nsteps = []\n'  # a house has to have an intent
    text = f"# A house that began with {', '.join(f.name for f in files)}.\n\n[house]\nname = {json.dumps(shown, ensure_ascii=False)}\n{stand_in}"
    beside: dict[str, str] = {}
    for file in files:
        home = read_house(text, beside, "house.toml", languages())
        edited = taken(file, text, home, beside, "", {})
        text, beside = edited.text, {**beside, **edited.files}
        _tell(file, edited)
    text = text.replace(stand_in, "", 1)
    home = read_house(text, beside, "house.toml", languages())
    return {"house.toml": text, **beside, "tests/first.csv": _first_rows(home)}


def _first_rows(home: House) -> str:
    """A table of what the house was made to understand, a row for each phrase and name."""
    from glossa.matching import Matcher, Outcome
    from glossa.trials.sentences import own_sentences

    matcher = Matcher(home)
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(("utterance", "intent", "note"))
    for sentence in own_sentences(home, home.languages[0]):
        match = matcher.match(sentence.text)
        if match.outcome == Outcome.ACCEPT and match.best is not None and match.best.intent == sentence.intent:
            rows.writerow((sentence.text, sentence.intent, "as it was taken over"))
    return out.getvalue()


def show_change(before: str, after: str, name: str) -> None:
    """What changes in a file, as a unified diff."""
    for line in difflib.unified_diff(before.splitlines(), after.splitlines(), name, name, lineterm="", n=1):
        click.echo(click.style(line, fg={"+": "green", "-": "red", "@": "cyan"}.get(line[:1])))


def _tell(file: Path, edited: Edited) -> None:
    if edited.already:
        click.echo(f"{file}: {many(edited.already, 'thing')} there already", err=True)
    for problem in edited.left:
        place = f"{file}:{problem.line}" if problem.line else str(file)
        click.echo(f"{place}: left out: {problem.what}", err=True)


def _columns(written: str) -> dict[str, str]:
    pairs = [part.partition("=") for part in written.split(",") if part.strip()]
    for ours, equals, theirs in pairs:
        if not equals or not ours.strip() or not theirs.strip():
            raise click.BadParameter(f"'{ours}' is not OURS=THEIRS; write as in phrase=Spoken,text=Code", param_hint="--columns")
    return {ours.strip(): theirs.strip() for ours, _, theirs in pairs}


MOST_PROPERTIES, MOST_ROWS = 1000, 10_000
"""The most properties and actions of Things, and rows of a table, that are taken over at once: more take minutes to check."""


def taken(file: Path, text: str, home: House, sheets: Mapping[str, str], language: str, columns: Mapping[str, str]) -> Edited:
    """The text of a house file with what is in another file.

    Raises:
        HouseError: where that file is none that can be taken over, with everything that is wrong in it.
    """
    try:
        if file.stat().st_size > MOST_BYTES:
            raise _wrong(file, [(0, "", f"has more than {MOST_BYTES // 1_000_000} MB")])
        data = file.read_bytes()
    except OSError as error:
        raise _wrong(file, [(0, "", f"can't be read: {error.strerror or error}")]) from None
    head = data[:4096].decode("utf-8", errors="replace").lstrip("\ufeff \t\r\n")
    if head.startswith("<"):
        need("lxml")
        return _of_xml(file, data, text, home, sheets, language)
    plain = _decoded(file, data)
    if head.startswith(("{", "[")):
        return _of_things(file, plain, text, home, sheets)
    if head.startswith("#ABNF"):
        from glossa.exchange.abnf import read_abnf

        return _of_grammar(file, read_abnf(plain), text, home, sheets, language)
    if head.startswith("#JSGF"):
        from glossa.exchange.jsgf import read_jsgf

        return _of_grammar(file, read_jsgf(plain), text, home, sheets, language)
    if columns or file.suffix.lower() in (".csv", ".tsv"):
        return _of_columns(file, plain, text, home, columns)
    hint = "the first line says it: #ABNF 1.0; or #JSGF V1.0; XML begins with <, Thing Descriptions with {, a table of phrases ends in .csv"
    raise _wrong(file, [(1, "", "is in no notation that is known here")], hint)


def _decoded(file: Path, data: bytes) -> str:
    """Text in UTF-8, or in the encoding that its first line names."""
    first = data.split(b"\n", 1)[0].decode("ascii", errors="replace")
    named = first.removesuffix("\r").rstrip("; ").split()[2:3] if first.startswith(("#ABNF", "#JSGF")) else []
    for encoding in ("utf-8-sig", *named):
        try:
            return data.decode(encoding)
        except (UnicodeDecodeError, LookupError):
            continue
    raise _wrong(file, [(0, "", "is no text in UTF-8")])


def _wrong(file: Path, problems: list[tuple[int, str, str]], hint: str = "") -> HouseError:
    return HouseError([Problem(str(file), line, key, what, hint) for line, key, what in problems])


def _of_xml(file: Path, data: bytes, text: str, home: House, sheets: Mapping[str, str], language: str) -> Edited:
    from glossa.exchange.grxml import read_grxml
    from glossa.exchange.into_house import with_sounds
    from glossa.exchange.pls import read_pls, respellings
    from glossa.exchange.xml import local, parse_xml

    problems: list[GrammarProblem] = []
    root = parse_xml(data, problems)
    if root is None:
        raise _wrong(file, [(p.line, "", p.what) for p in problems])
    if local(root) == "grammar":
        return _of_grammar(file, read_grxml(data), text, home, sheets, language)
    if local(root) != "lexicon":
        raise _wrong(file, [(1, "", f"<{local(root)}> is neither a <grammar> nor a <lexicon>")])
    lexemes, tag, problems = read_pls(data)
    if problems:
        raise _wrong(file, [(p.line, "", p.what) for p in problems])
    sounds, left = respellings(lexemes, language or _language_of(tag, home) or home.languages[0])
    return _with_left(with_sounds(text, sounds), left)


def _with_left(edited: Edited, left: list[GrammarProblem]) -> Edited:
    from msgspec.structs import replace

    return replace(edited, left=(*left, *edited.left))


def _language_of(tag: str, home: House) -> str:
    """The language of the house that a tag means, "" for none."""
    return meant(tag, home.languages) if tag else ""


def _of_grammar(
    file: Path, read: tuple[Grammar, list[GrammarProblem]], text: str, home: House, sheets: Mapping[str, str], language: str
) -> Edited:
    from glossa.exchange.into_house import with_phrases
    from glossa.exchange.phrases import phrases_of, unused
    from glossa.exchange.rules import problems

    grammar, wrong = read
    wrong = sorted([*wrong, *problems(grammar)], key=lambda p: p.line)
    if not grammar.rules and not wrong:
        raise _wrong(file, [(0, "", "holds no rule")])
    if wrong:
        raise _wrong(file, [(p.line, "", p.what) for p in wrong])
    tag = language or _language_of(grammar.language, home)
    if grammar.language and not tag:
        hint = f"give it with --language, one of: {', '.join(home.languages)}"
        raise _wrong(file, [(0, "language", f"the grammar is in '{grammar.language}', which the house has not")], hint)
    found = phrases_of(grammar, home, tag)
    if found.wrong:
        raise _wrong(file, [(p.line, "", p.what) for p in found.wrong])
    edited = with_phrases(text, home, found, sheets, tag)
    return _with_left(edited, [*grammar.notes, *found.left, *unused(grammar, found)])


def _of_things(file: Path, plain: str, text: str, home: House, sheets: Mapping[str, str]) -> Edited:
    from glossa.exchange.from_things import read_things
    from glossa.exchange.rules import GrammarProblem
    from glossa.exchange.things_into_house import with_things

    things, left = read_things(plain)
    if (count := sum(len(t.properties) + len(t.actions) for t in things)) > MOST_PROPERTIES:
        raise _wrong(
            file, [(0, "", f"has {count:,} properties and actions, more than {MOST_PROPERTIES:,}")], "take it over in parts"
        )
    if not things or not all(t.properties or t.actions for t in things):
        raise _wrong(file, [(0, "", what) for what in left] or [(0, "", "holds no Thing")])
    return _with_left(with_things(text, home, things, sheets), [GrammarProblem(0, what) for what in left])


def _of_columns(file: Path, plain: str, text: str, home: House, columns: Mapping[str, str]) -> Edited:
    from glossa.exchange.into_house import read_columns, with_sheet

    if (count := plain.count("\n")) > MOST_ROWS:
        raise _wrong(file, [(0, "", f"has {count:,} rows, more than {MOST_ROWS:,}")], "take it over in parts")
    content, problems = read_columns(plain, columns, home.links)
    if problems:
        raise _wrong(file, [(1, "", what) for what in problems])
    return with_sheet(text, f"{file.stem}.csv", content)
