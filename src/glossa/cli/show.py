"""``glossa show``: what Glossa says about itself."""

from __future__ import annotations

import json
from importlib import resources

import click

from glossa.cli.main import cli
from glossa.house.problems import nearest

SHELLS = ("bash", "zsh", "fish")


@click.group(no_args_is_help=True)
def show() -> None:
    """What Glossa says about itself: keys of a house file, its schema, word lists, shell completion.

    \b
    Examples:
      glossa show key raw
      glossa show schema > house.schema.json
      glossa show language en
    """


@show.command()
@click.argument("names", metavar="[KEY]...", nargs=-1)
@click.option("--json", "as_json", is_flag=True, help="One JSON object per key.")
def key(names: tuple[str, ...], as_json: bool) -> None:
    """Print what KEY of a house file is: properties.raw, raw, or its path in a file. Without KEY, all of them, one line each.

    \b
    Examples:
      glossa show key properties.raw
      glossa show key kinds.lamp.properties.level.outside
      glossa show key
    """
    import msgspec
    from rich.padding import Padding
    from rich.text import Text

    from glossa.cli.terminal import console
    from glossa.reference import found_keys, topics

    every = [k for topic in topics() for k in topic.keys]
    sections = {topic.section: topic for topic in topics()}
    found = []
    for name in names:
        keys = list(sections[name].keys) if name in sections else found_keys(name)
        if not keys and name not in sections:
            known = [*sections, *(k.path for k in every), *(k.name for k in every)]
            raise click.UsageError(f"A house file has no key '{name}' ({nearest(name, known)}).")
        found += keys
    if as_json:
        for one in found if names else every:
            click.echo(json.dumps(msgspec.to_builtins(one), ensure_ascii=False))
        return
    out = console()
    if not names or any(name in sections for name in names):
        from rich.table import Table

        for topic in [t for t in topics() if not names or t.section in names]:
            out.print(f"\n[bold cyan]{topic.header.replace('[', chr(92) + '[')}[/]", highlight=False)
            out.print(topic.does, highlight=False, markup=False)
            grid = Table.grid(padding=(0, 2))
            grid.add_column(style="bold", no_wrap=True)
            grid.add_column()
            for one in topic.keys:
                grid.add_row(one.name, Text(one.does))
            out.print(grid)
        found = [one for one in found if one.section not in names]
    for one in found:
        out.print(f"\n[bold cyan]{one.path}[/]")
        out.print(Padding(Text(one.does), (0, 0, 1, 2)))
        for name, text in (
            ("type", one.type),
            ("unit", one.unit),
            ("default", one.default),
            ("example", one.example),
            ("beware", one.wrong),
        ):
            if text:
                out.print(f"  [bright_black]{name:8}[/] ", end="")
                out.print(text, highlight=False, markup=False)


@show.command()
@click.option("--language", "of_language", is_flag=True, help="Of a language file instead.")
def schema(of_language: bool) -> None:
    """Print the JSON Schema of a house file, with which editors complete and check it.

    \b
    Examples:
      glossa show schema > house.schema.json
      glossa show schema --language > language.schema.json
    """
    if of_language:
        import msgspec

        from glossa.language.schema import LanguageFile

        found = msgspec.json.schema(LanguageFile)
    else:
        from glossa.reference import house_schema

        found = house_schema()
    click.echo(json.dumps(found, indent=2, ensure_ascii=False))


@show.command()
@click.argument("tag", required=False)
def language(tag: str | None) -> None:
    """Print the word lists of a language; without TAG, which languages there are.

    \b
    Examples:
      glossa show language
      glossa show language en > words.toml
    """
    from glossa.language import languages

    tags = languages()
    if tag is None:
        for known in tags:
            click.echo(known)
        return
    if tag not in tags:
        raise click.UsageError(f"There are no word lists for '{tag}' ({nearest(tag, tags)}).")
    click.echo((resources.files("glossa.language") / "data" / f"{tag}.toml").read_text(encoding="utf-8"), nl=False)


@show.command()
@click.argument("shell", type=click.Choice(SHELLS))
def completion(shell: str) -> None:
    """Print what a shell needs to complete commands, options and houses.

    \b
    Examples:
      glossa show completion bash >> ~/.bashrc
      glossa show completion fish > ~/.config/fish/completions/glossa.fish
    """
    from click.shell_completion import get_completion_class

    made = get_completion_class(shell)
    assert made is not None
    click.echo(made(cli, {}, "glossa", "_GLOSSA_COMPLETE").source())
