"""``glossa export``."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import click

from glossa.cli.main import house_argument
from glossa.extras import need
from glossa.files import load_house, write_file
from glossa.house import House
from glossa.house.problems import nearest
from glossa.house.text import many
from glossa.language import meant

if TYPE_CHECKING:
    from glossa.exchange.teaching import Plan

FORMS = ("abnf", "grxml", "jsgf", "sentences", "words", "pls", "td", "teaching")
MOST_SENTENCES = 1_000


@click.command()
@house_argument()
@click.option("--form", type=click.Choice(FORMS), required=True, help="The notation; see above.")
@click.option("--language", default="", metavar="TAG", help="In which language.  [default: the first of the house]")
@click.option("--mode", default="", help="What is understood in a mode.  [default: in none]")
@click.option(
    "--most", type=click.IntRange(1, 100_000), default=MOST_SENTENCES, show_default=True, help="Sentences, for `sentences`."
)
@click.option("--source", default="", metavar="ID", help="For `teaching`: the source that sends codes.  [default: the only one]")
@click.option("--more", is_flag=True, help="For `teaching`: propose further phrases where there is room.")
@click.option(
    "--output", type=click.Path(dir_okay=False, path_type=Path), help="Write to a file; for `teaching`, the table of codes."
)
def export(house: str, form: str, language: str, mode: str, most: int, source: str, more: bool, output: Path | None) -> None:
    """Write what the house understands, for a recogniser that is then limited to it, or its devices, for other programs.

    \b
    abnf       W3C SRGS 1.0 in its ABNF form, with literal tags for intents and values
    grxml      the same in its XML form
    jsgf       JSpeech Grammar Format
    sentences  plain sentences, a line each, the likeliest first
    words      every word, a line each
    pls        W3C PLS 1.0: respellings, what is also heard, and sounds in IPA
    td         W3C Thing Descriptions 1.1, a JSON list of the devices
    teaching   which phrases to teach to a recogniser that sends codes, and in which order

    \b
    Examples:
      glossa export marigold --form abnf --output marigold.abnf
      glossa export marigold --form sentences --most 50
      glossa export dinghy --form teaching
    """
    if output is not None and output.suffix.lower() == ".toml":
        raise click.BadParameter(f"'{output}' is named like a house file; write another name", param_hint="--output")
    home = load_house(house)
    if language and not meant(language, home.languages):
        raise click.BadParameter(
            f"the house has no language '{language}' ({nearest(language, home.languages)})", param_hint="--language"
        )
    if mode and mode not in home.modes:
        raise click.BadParameter(f"the house has no mode '{mode}' ({nearest(mode, home.modes)})", param_hint="--mode")
    if form in ("grxml", "pls"):
        need("lxml")
    if form == "teaching":
        _teach(home, source, more, output)
        return
    text = _written(home, form, meant(language, home.languages) if language else "", mode, most)
    if output is None:
        click.echo(text, nl=False)
    else:
        write_file(output, text, like={"sentences": "", "words": "", "td": ".json"}.get(form, f".{form}"))
        click.echo(f"wrote {output}", err=True)


def _written(home: House, form: str, language: str, mode: str, most: int) -> str:
    if form == "td":
        from glossa.exchange.to_things import things_of

        things, left = things_of(home, language)
        for line in left:
            click.echo(f"left out: {line}", err=True)
        return json.dumps(things, ensure_ascii=False, indent=2) + "\n"
    if form == "pls":
        from glossa.exchange.pls import write_pls

        return write_pls(home, language, mode)
    from glossa.exchange.of_house import grammar_of

    grammar = grammar_of(home, language, mode, thin=form == "sentences", commands=form == "sentences")
    if form == "sentences":
        from glossa.exchange.rules import likeliest

        return "".join(" ".join(s.words) + "\n" for s in likeliest(grammar, grammar.root, most))
    if form == "words":
        from glossa.exchange.rules import vocabulary

        return "".join(f"{word}\n" for word in vocabulary(grammar))
    if form == "abnf":
        from glossa.exchange.abnf import write_abnf

        return write_abnf(grammar)
    if form == "jsgf":
        from glossa.exchange.jsgf import write_jsgf

        return write_jsgf(grammar, home.id or "house")
    from glossa.exchange.grxml import write_grxml

    return write_grxml(grammar)


def _teach(home: House, source: str, more: bool, output: Path | None) -> None:
    """Print the teaching sheet, and write the table of codes."""
    from rich.progress import Progress

    from glossa.cli.terminal import console
    from glossa.exchange.teaching import teaching_plan
    from glossa.house.sources import CodedSource
    from glossa.matching import Matcher

    coded = [key for key, one in home.sources.items() if one.codes is not None]
    name = source or (coded[0] if len(coded) == 1 else "")
    if name not in coded:
        told = f"there is no source '{source}' with codes ({nearest(source, coded) or 'there is none'})" if source else (
            f"the house has several sources with codes; write one of: {', '.join(coded)}" if coded
            else "the house has no source with codes; write [sources.module] with codes = \"module.csv\", a table with the columns code and utterance"
        )  # fmt: skip
        raise click.BadParameter(told, param_hint="--source")
    with Progress(console=console(error=True), transient=True) as bar:
        task = bar.add_task("choosing phrases", total=None)
        plan = teaching_plan(Matcher(home), home.sources[name], more=more, progress=lambda done: bar.update(task, completed=done))
    _sheet(home, name, plan)
    options, codes = home.sources[name].options, home.sources[name].codes
    assert isinstance(options, CodedSource) and codes is not None
    if output is None:
        click.echo(f"--output {options.codes} writes the table of codes; the one that is there is kept beside it.", err=True)
        return
    kept = _keep(output)
    write_file(output, plan.table(), like=".codes")
    click.echo(f"wrote {output}" + (f"; what it was is {kept}" if kept else ""), err=True)


def _keep(path: Path) -> Path | None:
    """Keep what a file holds beside it; None where there is no file."""
    from glossa.files import backup_of

    if not path.is_file():
        return None
    held = path.read_bytes()
    kept = backup_of(path, held)
    write_file(kept, held, like=".codes")
    return kept


def _sheet(home: House, name: str, plan: Plan) -> None:
    from rich.table import Table
    from rich.text import Text

    from glossa.cli.terminal import console

    out = console()
    out.print(Text(f"Teaching sheet: {home.name}, source {name}", style="bold"))
    out.print(
        f"{many(len(plan.phrases), 'phrase')} in {many(len(plan.groups), 'group')}. Say each as it stands, in this order.\n"
    )
    widest = [
        {"say": n.phrase, "means": n.intent, "sounds most like": n.nearest, "": "10"} for g in plan.groups for n in g.lessons
    ]
    for number, group in enumerate(plan.groups, 1):
        live = (
            f"live in the mode {group.mode}"
            if group.mode
            else "live when no mode is on"
            if any(g.mode for g in plan.groups)
            else "live at once"
        )
        loading = f", loaded with {' then '.join(group.loading)}" if group.loading else ""
        table = Table(
            title=Text.assemble((f"Group {number}", "bold cyan"), f"  {live}{loading}"),
            title_justify="left",
            box=None,
            pad_edge=False,
            padding=(0, 2, 0, 0),
        )
        for header, justify in _COLUMNS.items():
            width = max((len(text[header]) for text in widest if header in text), default=0)
            table.add_column(
                header,
                justify=justify,
                header_style="bright_black",
                min_width=width,
                no_wrap=header in ("code", "takes", "apart"),
            )
        for place, lesson in enumerate(group.lessons, 1):
            if not lesson.phrase:
                table.add_row(str(place), Text("free", style="bright_black"), Text(lesson.code, style="bright_black"))
                continue
            table.add_row(
                str(place), Text(lesson.phrase, style="bold"), Text(lesson.code, style="green"), lesson.intent, f"{lesson.seconds:.1f} s", lesson.nearest,
                Text(f"{lesson.apart:.2f}" if lesson.nearest else "", style="yellow" if lesson.near else ""),
            )  # fmt: skip
        out.print(table)
        out.print()
    near = [lesson.phrase for group in plan.groups for lesson in group.lessons if lesson.near]
    if near:
        out.print(Text(f"Likely to be taken for one another: {', '.join(near)}; say one of them otherwise.", style="yellow"))
    if plan.left:
        out.print(Text("Left out", style="bold"))
        for phrase, why in plan.left[:MOST_LEFT]:
            out.print(Text.assemble("  ", phrase, (f"  {why}", "bright_black")))
        if len(plan.left) > MOST_LEFT:
            out.print(f"  and {len(plan.left) - MOST_LEFT:,} more")


_COLUMNS: Mapping[str, Literal["left", "right"]] = {
    "": "right", "say": "left", "code": "left", "means": "left", "takes": "right", "sounds most like": "left", "apart": "right",
}  # fmt: skip
MOST_LEFT = 12
"""Phrases that are left out and shown one by one."""
