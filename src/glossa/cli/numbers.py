"""``glossa numbers``."""

from __future__ import annotations

import json

import click

from glossa.cli.main import wrong_call
from glossa.hearing.numbers import Quantity

NO_HOUSE = '[house]\nname = "Numbers"\n[intents.none]\nphrases = ["none"]\nreply = "none"'
"""A house without names, so that nothing but numbers is heard."""


@click.command()
@click.argument("texts", nargs=-1, metavar="[TEXT]...")
@click.option("--language", default="en", show_default=True, help="The language that is spoken, as a BCP 47 tag.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object per line.")
def numbers(texts: tuple[str, ...], language: str, as_json: bool) -> None:
    """Show how spoken numbers are read: value, unit, the words used, and other readings.

    Without TEXT, each line of standard input is read.

    \b
    Examples:
      glossa numbers "twenty one and a half degrees" "half an hour"
      glossa numbers "fifty no sixty percent"
    """
    from glossa.cli.say import lines
    from glossa.hearing.lexicon import Lexicon
    from glossa.hearing.utterance import Hearing
    from glossa.house import read_house

    try:
        hearing = Hearing(Lexicon(read_house(NO_HOUSE), language))
    except LookupError as error:
        raise wrong_call(error) from None
    reader = hearing.lexicon.numbers
    rows: list[tuple[str, list[tuple[Quantity, list[str], list[str]]]]] = []
    for text in texts or lines():
        tokens = hearing.analyse(text).tokens
        found = reader.read(tokens)
        words = [t.word for t in tokens]
        if as_json:
            numbers_ = [
                {
                    "value": q.value,
                    "unit": q.unit,
                    "share": q.share,
                    "words": words[q.start : q.end],
                    "note": q.note,
                    "others": reader.alternatives(tokens, q),
                }
                for q in found
            ]
            click.echo(json.dumps({"text": text, "numbers": numbers_}, ensure_ascii=False))
            continue
        rows.append((text, [(q, words, reader.alternatives(tokens, q)) for q in found]))
    if not as_json:
        _print(rows)


def _print(rows: list[tuple[str, list[tuple[Quantity, list[str], list[str]]]]]) -> None:
    from rich.table import Table

    from glossa.cli.terminal import console

    table = Table(box=None, padding=(0, 2), header_style="bright_black")
    for name in ("heard", "value", "unit", "from the words", "how", "or else"):
        table.add_column(name, justify="right" if name == "value" else "left")
    for text, found in rows:
        shown = text if len(text) <= 40 else text[:39] + "…"
        if not found:
            table.add_row(shown, "—", "", "", "no number", style="bright_black")
        for number, (quantity, words, others) in enumerate(found):
            unit = quantity.unit or ("share of the range" if quantity.share else "")
            used = " ".join(words[quantity.start : quantity.end])
            how = quantity.note or ("unsure" if quantity.cost else "")
            style = "bright_black" if quantity.cost >= 0.45 else ""
            table.add_row(shown if not number else "", f"{quantity.value}", unit, used[:32], how, ", ".join(others), style=style)
    console().print(table)
