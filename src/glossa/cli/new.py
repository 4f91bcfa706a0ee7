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
@click.option(
    "--from",
    "origins",
    metavar="SAMPLE|FILE",
    multiple=True,
    help="Copy a sample house, marigold, horno, dinghy or schleuse; or begin with what files describe.",
)
def new(folder: Path, origins: tuple[str, ...]) -> None:
    """Start a house in DIR: a small commented house.toml, a first test table, and a schema for your editor.

    With --from FILE, which may stand several times, the house begins with what `glossa import` takes over: Thing Descriptions of
    devices, grammars, lexicons. Nothing is ever overwritten.

    \b
    Examples:
      glossa new my-home && glossa say my-home "desk lamp on"
      glossa new boat --from marigold
      glossa new flat --from lamp.td.json --from heater.td.json
    """
    sample = origins[0] if len(origins) == 1 and origins[0] in samples() else ""
    files = [Path(origin) for origin in origins if not sample]
    for file in files:
        if not file.is_file():
            raise click.UsageError(f"There is no sample house and no file '{file}' ({nearest(str(file), samples())}).")
    if files:
        from glossa.cli.take_over import begun

        wanted = {folder / name: text for name, text in _with_schema(begun(folder.resolve().name, files))}
    else:
        source = resources.files("glossa") / "samples" / (sample or "first")
        wanted = {folder / name: text for name, text in _with_schema(dict(_files(source, "")))}
    taken = [str(path) for path in wanted if path.exists()]
    if taken:
        raise click.ClickException(f"{', '.join(taken)} is there already; nothing was written. Name another folder.")
    if folder.exists() and not folder.is_dir():
        raise click.ClickException(f"{folder} is a file; name a folder.")
    for path, text in wanted.items():
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("x", encoding="utf-8") as out:
            out.write(text)
        click.echo(f"wrote {path}")
    click.echo(f"\nTry:  glossa check {folder}\n      glossa talk {folder}\n      glossa test {folder}")


def _with_schema(found: dict[str, str]) -> Iterator[tuple[str, str]]:
    """The files of a new house: path within it and text, the house file first, led by where its schema is."""
    from glossa.reference import house_schema

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
