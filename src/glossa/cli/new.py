"""``glossa new``."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

import click


@click.command()
@click.argument("folder", metavar="DIR", type=click.Path(path_type=Path))
def new(folder: Path) -> None:
    """Start a house in DIR: a small commented house.toml and a first test table. Nothing is ever overwritten.

    \b
    Example:
      glossa new my-home && glossa say my-home "desk lamp on"
    """
    source = resources.files("glossa") / "samples" / "first"
    wanted = {"house.toml": folder / "house.toml", "tests/first.csv": folder / "tests" / "first.csv"}
    taken = [str(path) for path in wanted.values() if path.exists()]
    if taken:
        raise click.ClickException(f"{', '.join(taken)} is there already; nothing was written. Name another folder.")
    if folder.exists() and not folder.is_dir():
        raise click.ClickException(f"{folder} is a file; name a folder.")
    for name, path in wanted.items():
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("x", encoding="utf-8") as file:
            file.write(source.joinpath(name.replace("house.toml", "start.toml")).read_text(encoding="utf-8"))
        click.echo(f"wrote {path}")
    click.echo(f'\nTry:  glossa say {folder} "desk lamp on"\n      glossa test {folder}')
