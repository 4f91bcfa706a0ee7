"""``glossa``: the commands, each in a module of its own that is only loaded when it is called."""

from __future__ import annotations

import gc
import importlib
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import click

from glossa import files
from glossa.extras import missing, need
from glossa.house import HouseError
from glossa.house.text import many, printable

GROUPS = {
    "Make a house": {
        "new": "Start a house: a small commented one to change, or a copy of a sample.",
        "check": "Read a house; list what is wrong and what will be confused.",
        "say": "Show what a phrase would do, and why.",
        "talk": "Type lines to the house and watch it answer.",
    },
    "Test and tune it": {
        "test": "Run test tables; exit code 1 if any row fails.",
        "numbers": "Show how spoken numbers are read.",
        "wake": "Rate wake words before anyone gets used to them.",
        "stress": "See how the tables hold up when the recogniser mishears.",
        "tune": "Find the limits from your own rows, with proof.",
        "teach": "Say a command a few times; learn how it is written.",
        "learn": "Turn the misses in a log into rows and words.",
    },
    "Go live": {
        "household": "Play the devices of a house on real wires, faults included.",
        "send": "Send one command by hand, to try a wire.",
        "watch": "See what arrives on every wire, raw and as states.",
        "listen": "Go live: take in what is heard, send commands, for months.",
        "log": "Show, filter and export what a live house did.",
        "replay": "Play a log again offline, against today's house.",
    },
    "Exchange and look around": {
        "import": "Take phrases, sounds or devices over from other notations.",
        "export": "Write it as a grammar, a lexicon or Things.",
        "demo": "Play an evening aboard the sample house.",
        "show": "Show the keys of a house file, its schema, word lists.",
    },
}
"""The commands in the order of the work."""
MODULES = {"import": "take_over"}
"""The modules, and the functions in them, that are not called as their command is."""
COMMANDS = {name: text for group in GROUPS.values() for name, text in group.items()}


class _Lazy(click.Group):
    """A group that loads a command's module when it is needed, so that ``glossa say`` starts fast."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        module = importlib.import_module(f"glossa.cli.{MODULES.get(cmd_name, cmd_name)}")
        found = getattr(module, MODULES.get(cmd_name, cmd_name))
        assert isinstance(found, click.Command)
        return found

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        widest = max(map(len, COMMANDS))
        for title, group in GROUPS.items():
            with formatter.section(title):
                formatter.write_dl([(name.ljust(widest), text) for name, text in group.items()])

    def resolve_command(self, ctx: click.Context, args: list[str]) -> tuple[str | None, click.Command | None, list[str]]:
        from glossa.house.problems import nearest

        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            ctx.fail(f"There is no command '{args[0]}' ({nearest(args[0], COMMANDS)}).")
        return super().resolve_command(ctx, args)


@click.group(cls=_Lazy, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(package_name="glossa", message="glossa %(version)s")
def cli() -> None:
    """Spoken phrases to device commands: define them, tune them, test them at your desk.

    HOUSE is a house file, a folder with a house.toml, or a sample house by name: marigold, a
    narrowboat, horno, two ovens that are spoken to in Spanish, dinghy, whose recogniser sends codes,
    or schleuse, a lock where German, French and English are spoken.

    \b
    Start here:
      glossa demo                             see a whole house at work
      glossa new my-home                      make your own
      glossa say my-home "lamp on"            what a phrase would do
      glossa test my-home                     run its tables

    The exit code is 0, 1 where rows of a table failed, 2 for a wrong call or a wrong file.
    """


def main(arguments: list[str] | None = None) -> None:
    """Run the command line; errors are printed here and nowhere else."""
    gc.set_threshold(50_000, 20, 20)  # a big house is a million objects, and none of them is garbage while it is read
    if sys.stdin is None:  # it was closed by whoever started this
        sys.stdin = open(os.devnull, encoding="utf-8")  # noqa: SIM115 - it is open for as long as the program runs
    for stream in (sys.stdout, sys.stderr):
        reconfigure: Any = getattr(stream, "reconfigure", None)
        if reconfigure is not None:
            reconfigure(encoding="utf-8", errors="replace")
    try:
        code = cli.main(args=arguments, prog_name="glossa", standalone_mode=False)
        sys.exit(code if isinstance(code, int) else 0)
    except HouseError as error:
        show_problems(error)
        sys.exit(2)
    except click.exceptions.Abort:
        click.echo("", err=True)
        sys.exit(130)
    except click.ClickException as error:
        error.show()
        sys.exit(2)  # 1 is for failed tables alone
    except KeyboardInterrupt:
        click.echo("", err=True)
        sys.exit(130)
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(0)
    except ModuleNotFoundError as error:
        if error.name is None or error.name.split(".")[0] == "glossa":
            raise
        told = str(error) if "install it with" in str(error) else missing(error.name.split(".")[0])
        click.echo(f"Error: {told}", err=True)
        sys.exit(2)
    except OSError as error:
        click.echo(f"Error: {error.filename or ''}: {error.strerror or error}".replace(": :", ":"), err=True)
        sys.exit(2)


def wrong_call(error: LookupError) -> click.UsageError:
    """What the library says of a name that a house doesn't have, as an error of the call."""
    told = str(error.args[0])
    return click.UsageError(f"{told[:1].upper()}{told[1:]}.")


def show_problems(error: HouseError) -> None:
    """Every problem of a house, on standard error."""
    for problem in error.problems:
        place = f"{problem.file}:{problem.line}" if problem.line else problem.file
        key, message, hint = (_shown(t) for t in (problem.key, problem.message, problem.hint))
        click.echo(
            click.style(_shown(place), bold=True) + ": " + (click.style(key, fg="cyan") + ": " if key else ""), nl=False, err=True
        )
        click.echo(message + (click.style(f"\n    {hint}", fg="green") if hint else ""), err=True)
    count = len(error.problems)
    click.echo(click.style(many(count, "problem"), fg="red", bold=True), err=True)


def _shown(text: str) -> str:
    """A text of several lines that comes out of a file, without what would move the cursor or turn the writing round."""
    return "\n".join(map(printable, text.split("\n")))


def complete_house(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[str]:
    """Shell completion for HOUSE: the sample houses."""
    return [name for name in files.samples() if name.startswith(incomplete)]


Command = TypeVar("Command", bound=Callable[..., Any])


def house_argument() -> Callable[[Command], Command]:
    """The argument HOUSE."""
    return click.argument("house", shell_complete=complete_house)


def jobs_option(text: str) -> Callable[[Command], Command]:
    """``--jobs N``; more than one worker goes through a package of its own, which is looked for before any work is done."""

    def usable(ctx: click.Context, param: click.Parameter, value: int) -> int:
        if value == 0 or value < -1:
            raise click.BadParameter("write the number of workers, or -1 for every core.")
        if value != 1:
            need("joblib")
        return value

    return click.option("--jobs", default=1, show_default=True, callback=usable, help=f"Workers; -1 for every core. {text}")


def picture_option(text: str) -> Callable[[Command], Command]:
    """``--picture FILE``, refused before any work is done where it could not be drawn."""

    def usable(ctx: click.Context, param: click.Parameter, value: str | None) -> str | None:
        if value is not None and Path(value).suffix.lower() not in (".png", ".svg", ".pdf"):
            raise click.BadParameter(f"'{value}' does not end in .png, .svg or .pdf.")
        if value is not None and not Path(value).parent.is_dir():
            raise click.BadParameter(f"there is no folder '{Path(value).parent}'.")
        if value is not None:
            need("matplotlib")
        return value

    return click.option("--picture", type=click.Path(dir_okay=False, writable=True), callback=usable, help=text)
