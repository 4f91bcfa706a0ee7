"""Writes the parts of the documentation that are made: the reference pages, and every output that stands in a page.

python scripts/docs.py             write them anew
python scripts/docs.py --check     name the pages that differ; exit code 1 if any does

In a page, a block marked ``console`` holds commands after ``$ `` with what they print; blocks below a line
``<!-- file: PATH -->`` are files, ``<!-- add: PATH -->`` their further lines, and ``python`` blocks are run too. A page is one story: its blocks
are run in their order, in an empty folder.
"""

from __future__ import annotations

import contextlib
import difflib
import io
import os
import re
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from shell import run_line

ROOT = Path(__file__).resolve().parents[1]
DOCS = ROOT / "docs"
PAGES = (
    "docs/tables.md",
    "docs/json.md",
    "docs/python.md",
    "docs/tutorial.md",
    "docs/cookbook.md",
    "docs/exchange.md",
    "docs/languages.md",
    "README.md",
)
"""Pages that are written by hand and hold outputs."""

_BLOCK = re.compile(
    r"(?:^<!-- (?P<mark>file|add|not run): ?(?P<path>[^>]*?) ?-->\n)?^```(?P<kind>\w+)\n(?P<text>.*?)^```$",
    re.MULTILINE | re.DOTALL,
)
_CHANGING = (
    (re.compile(r"\bin \d+\.\d+ s, \d+(\.\d+)? ms a row"), "in 0.05 s, 2.1 ms a row"),
    (re.compile(r"\b\d\d:\d\d:\d\d\b"), "19:04:12"),
    (re.compile(r"\b\d+ ms$", re.MULTILINE), "4 ms"),
    (re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z"), "2026-05-01T19:04:12.250Z"),
)
"""What differs from run to run, and what stands in the page for it."""
VARIABLES = {"COLUMNS": "100", "NO_COLOR": "1", "PYTHONPATH": "", "TERM": "dumb"}


def reference_pages() -> dict[str, str]:
    """The pages that are made as a whole: path -> text."""
    from glossa.reference.page import house_page

    return {"docs/house-file.md": house_page(), "docs/commands.md": commands_page()}


def commands_page() -> str:
    """Every command with its ``--help``."""
    import click

    from glossa.cli.main import GROUPS, cli

    lines = [
        "# The commands\n",
        "In the order of the work. Exit codes: 0, 1 where rows of a table failed, 2 for a wrong call or a wrong file, 130 after Ctrl-C. Colour goes to a "
        "terminal only, and never where `NO_COLOR` is set; `--json` is there wherever a program may read along.\n",
        "This page is written by `scripts/docs.py` from each command's `--help`.\n",
    ]
    top = click.Context(cli, info_name="glossa", terminal_width=100, **cli.context_settings)
    for title, group in GROUPS.items():
        lines.append(f"## {title}\n")
        for name in group:
            command = cli.get_command(top, name)
            assert command is not None
            for path, one in _with_inner(name, command):
                context = click.Context(one, info_name=path, parent=top, max_content_width=100, terminal_width=100)
                lines.append(f"### glossa {path}\n\n```text\n{one.get_help(context)}\n```\n")
    return "\n".join(lines)


def _with_inner(name: str, command: object) -> Iterator[tuple[str, object]]:
    import click

    yield name, command
    if isinstance(command, click.Group):
        for inner in sorted(command.commands):
            yield from _with_inner(f"{name} {inner}", command.commands[inner])


def refreshed(text: str, folder: Path) -> str:
    """A page with its commands and programs run in a folder, in order, and what they print put in place."""

    def run(block: re.Match[str]) -> str:
        mark, path, kind, body = block["mark"], block["path"] or "", block["kind"], block["text"]
        if mark == "not run":
            return block[0]
        if mark in ("file", "add"):
            file = folder / path
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_text(
                (file.read_text(encoding="utf-8") if mark == "add" and file.exists() else "") + body, encoding="utf-8"
            )
            return block[0]
        if kind == "console":
            return block[0].replace(body, _console(body, folder))
        if kind == "python":
            _program(body, folder)
        return block[0]

    return _BLOCK.sub(run, text)


def _console(body: str, folder: Path) -> str:
    """The commands of a block with what each prints."""
    out = []
    for line in body.splitlines():
        if line.startswith("$ "):
            code, printed = run_line(line.removeprefix("$ "), folder, VARIABLES | {"HOME": str(folder)})
            printed = printed.replace(str(folder) + os.sep, "")
            for pattern, instead in _CHANGING:
                printed = pattern.sub(instead, printed)
            out += [line, *(p.rstrip() for p in printed.strip("\n").splitlines()), *([f"(exit code {code})"] if code else [])]
    return "\n".join(out) + "\n"


def _program(text: str, folder: Path) -> None:
    """Run a program of a page."""
    with contextlib.chdir(folder), contextlib.redirect_stdout(io.StringIO()):
        exec(compile(text, "a program of a page", "exec"), {"__name__": "__main__"})


def made(name: str) -> str:
    """A page as it should be."""
    whole = reference_pages()
    if name in whole:
        return whole[name]
    with tempfile.TemporaryDirectory() as folder:
        return refreshed((ROOT / name).read_text(encoding="utf-8"), Path(folder).resolve())


def every_page() -> tuple[str, ...]:
    """The pages that hold something made."""
    return (*reference_pages(), *(p for p in PAGES if (ROOT / p).exists()))


def main() -> None:
    """Write, or check."""
    differing = 0
    names = [a for a in sys.argv[1:] if not a.startswith("-")] or every_page()
    for name in names:
        path, text = ROOT / name, made(name)
        known = path.read_text(encoding="utf-8") if path.exists() else ""
        if text != known:
            differing += 1
            print(f"{name} differs")
            if "--check" in sys.argv:
                print("".join(difflib.unified_diff(known.splitlines(True), text.splitlines(True), name, "as it should be", n=1)))
            else:
                path.write_text(text, encoding="utf-8")
    sys.exit(1 if differing and "--check" in sys.argv else 0)


if __name__ == "__main__":
    main()
