"""``glossa new``."""

from __future__ import annotations

import json
from collections.abc import Iterator
from importlib import resources
from importlib.resources.abc import Traversable
from pathlib import Path

import click

from glossa.files import samples
from glossa.house.problems import nearest

SCHEMA = "house.schema.json"


@click.command()
@click.argument("folder", metavar="DIR", type=click.Path(path_type=Path))
@click.option("--from", "sample", metavar="SAMPLE", help="Copy a sample house instead: marigold, horno or dinghy.")
def new(folder: Path, sample: str | None) -> None:
    """Start a house in DIR: a small commented house.toml, a first test table, and a schema for your editor.

    Nothing is ever overwritten.

    \b
    Examples:
      glossa new my-home && glossa say my-home "desk lamp on"
      glossa new boat --from marigold
    """
    if sample is not None and sample not in samples():
        raise click.UsageError(f"There is no sample house '{sample}' ({nearest(sample, samples())}).")
    source = resources.files("glossa") / "samples" / (sample or "first")
    wanted = {folder / name: text for name, text in _texts(source)}
    taken = [str(path) for path in wanted if path.exists()]
    if taken:
        raise click.ClickException(f"{', '.join(taken)} is there already; nothing was written. Name another folder.")
    if folder.exists() and not folder.is_dir():
        raise click.ClickException(f"{folder} is a file; name a folder.")
    for path, text in wanted.items():
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("x", encoding="utf-8") as file:
            file.write(text)
        click.echo(f"wrote {path}")
    click.echo(f"\nTry:  glossa check {folder}\n      glossa talk {folder}\n      glossa test {folder}")


def _texts(source: Traversable) -> Iterator[tuple[str, str]]:
    """The files of a new house: path within it and text, the house file first, led by where its schema is."""
    from glossa.reference import house_schema

    found = dict(_files(source, ""))
    house = found.pop("start.toml", None) or found.pop("house.toml")
    yield "house.toml", f"#:schema ./{SCHEMA}\n{house}"
    yield from sorted(found.items())
    yield SCHEMA, json.dumps(house_schema(), indent=2, ensure_ascii=False) + "\n"


def _files(folder: Traversable, before: str) -> Iterator[tuple[str, str]]:
    for entry in folder.iterdir():
        if entry.is_dir():
            if entry.name != "__pycache__":
                yield from _files(entry, f"{before}{entry.name}/")
        elif entry.name.endswith((".toml", ".csv", ".txt")):
            yield before + entry.name, entry.read_text(encoding="utf-8")
