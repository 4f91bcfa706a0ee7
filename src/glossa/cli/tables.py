"""The test tables that a command is given."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import click

from glossa.cli.main import Command
from glossa.files import find_house, read_text
from glossa.house import House, HouseError, Problem
from glossa.trials import Row, read_table
from glossa.trials.table import OWN


def tables_argument() -> Callable[[Command], Command]:
    """The arguments TABLE..., and the option that says that further columns are meant."""

    def both(command: Command) -> Command:
        text = "Accept columns that look misspelt as your own."
        command = click.option("--extra-columns", is_flag=True, help=text)(command)
        return click.argument("tables", nargs=-1, type=click.Path(path_type=Path), metavar="[TABLE]...")(command)

    return both


def load_tables(house: str, home: House, tables: Sequence[Path] = (), *, extra_columns: bool = False) -> list[Row]:
    """The rows of the tables that are named, or of all beside the house; columns that are not used are named on standard error.

    Raises:
        HouseError: with what is wrong with each table.
    """
    named = list(tables)
    if not named:
        folder = find_house(house).parent / "tests"
        named = sorted(folder.glob("*.csv"))
        if not named:
            raise HouseError(
                [
                    Problem(
                        str(folder),
                        0,
                        "",
                        "holds no test table",
                        "name one, or write tests/first.csv with the column 'utterance'",
                    )
                ]
            )
    problems: list[Problem] = []
    rows: list[Row] = []
    for path in named:
        beside = find_house(house).parent / path
        real = beside if not path.exists() and beside.exists() else path
        try:
            name = path.name if not tables else str(path)
            read = read_table(read_text(real, str(path)), name, home, extra_columns=extra_columns)
            unused = [c for c in (read[0].others if read else ()) if c and not c.startswith(OWN)]
            if unused and not extra_columns:
                click.echo(
                    f"{name}: not used: {', '.join(unused)} (--extra-columns, or _ before the name, ends this line)", err=True
                )
            rows += read
        except HouseError as error:
            problems += error.problems
    if problems:
        raise HouseError(problems)
    if not rows:
        raise HouseError([Problem(str(named[0]), 0, "", "the table has no rows", "write one line for each thing that is heard")])
    return rows
