"""House files on disk: where a house lies, and reading it together with its phrase tables."""

from __future__ import annotations

import os
import stat
import tempfile
import tomllib
from collections.abc import Mapping
from importlib import resources
from itertools import count
from pathlib import Path

from glossa.house import House, HouseError, Problem, read_house
from glossa.language import languages

HOUSE_FILE = "house.toml"
MOST_BYTES = 10_000_000


def samples() -> tuple[str, ...]:
    """The names of the sample houses in the package."""
    folder = resources.files("glossa") / "samples"
    return tuple(sorted(p.name for p in folder.iterdir() if (p / HOUSE_FILE).is_file()))


def find_house(place: str | os.PathLike[str]) -> Path:
    """The house file that a path means: the file itself, the one in a folder, or a sample house by its name.

    Raises:
        HouseError: where there is none.

    >>> find_house("marigold").name
    'house.toml'
    """
    path = Path(place)
    if path.is_dir() and (path / HOUSE_FILE).is_file():
        return path / HOUSE_FILE
    if path.is_file():
        return path
    if str(place) in samples():
        return Path(str(resources.files("glossa") / "samples" / str(place) / HOUSE_FILE))
    if path.is_dir():
        message = f"the folder holds no {HOUSE_FILE}"
    else:
        message = "there is no such file or folder"
    raise HouseError(
        [Problem(str(place), 0, "", message, f"start one with 'glossa new {place}', or try a sample: {', '.join(samples())}")]
    )


def read_text(path: Path, shown: str = "", *, lasting: bool = False) -> str:
    """The text of a UTF-8 file, with or without a byte order mark.

    Args:
        path: the file.
        shown: what to call it in errors.
        lasting: only a file that can be read again, no pipe that waits for somebody to write.

    Raises:
        HouseError: where it can't be read, is not UTF-8, or is larger than ``MOST_BYTES``.
    """
    shown = shown or str(path)
    try:
        status = path.stat()
        if lasting and not stat.S_ISREG(status.st_mode):
            raise HouseError([Problem(shown, 0, "", "this is no file", "a house is read again and again; name a plain file")])
        if status.st_size > MOST_BYTES:
            raise HouseError([Problem(shown, 0, "", f"the file is larger than {MOST_BYTES // 1_000_000} MB")])
        data = path.read_bytes()
    except (OSError, ValueError) as error:  # a name that no file can have is a ValueError
        raise HouseError([Problem(shown, 0, "", f"can't be read: {getattr(error, 'strerror', None) or error}")]) from None
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise HouseError(
            [Problem(shown, line, "", f"not UTF-8: byte {data[error.start]:#04x}", "save the file as UTF-8")]
        ) from None


def load_house(place: str | os.PathLike[str]) -> House:
    """Read a house from a file, a folder with a ``house.toml``, or the name of a sample house.

    Raises:
        HouseError: with every problem of the house file and of its phrase tables.

    >>> load_house("marigold").name
    'Marigold'
    """
    path = find_house(place)
    text = read_text(path, lasting=True)
    sheets: dict[str, str] = {}
    problems: list[Problem] = []
    for name in _sheet_names(text):
        try:
            sheets[name] = read_text(path.parent / name, name, lasting=True)
        except HouseError as error:
            if _exists(path.parent / name):
                problems += error.problems
                sheets[name] = "phrase\n"
    problems += _wrong_languages(text, sheets)
    try:
        house = read_house(text, sheets, str(path), languages())
    except HouseError as error:
        unknown = "" if not problems else "there are no word lists"  # for the file that has them has a problem of its own
        told = [p for p in error.problems if not (unknown and p.message.startswith(unknown))]
        raise HouseError([*told, *problems]) from None
    if problems:
        raise HouseError(problems)
    return house


def _wrong_languages(text: str, sheets: Mapping[str, str]) -> list[Problem]:
    """What is wrong with the files of the languages that a house brings along."""
    from glossa.language.check import read_own_language

    problems: list[Problem] = []
    for name in _named(text, ("house", "language_files")):
        if name in sheets:
            try:
                read_own_language(sheets[name], name)
            except HouseError as error:
                problems += error.problems
    return problems


def _exists(path: Path) -> bool:
    try:
        return path.exists()
    except (OSError, ValueError):
        return False


def _sheet_names(text: str) -> list[str]:
    """The files that a house file names: tables of phrases and of codes, languages, its recogniser."""
    return _named(text, ("house", "tables"), ("house", "language_files"), ("house", "recogniser"), ("sources", "codes"))


def _named(text: str, *places: tuple[str, str]) -> list[str]:
    """The names of files under a key of a section, or of every entry of it, for each section and key."""
    if not any(key in text for _, key in places):
        return []
    try:
        content = tomllib.loads(text)
    except (ValueError, RecursionError):
        return []
    found = []
    for section, key in places:
        held = content.get(section)
        entries = (held, *held.values()) if isinstance(held, dict) else ()
        found += [e[key] for e in entries if isinstance(e, dict) and key in e]
    return [n for names in found for n in (names if isinstance(names, list) else [names]) if isinstance(n, str) and n]


def sheets_beside(path: Path, text: str) -> dict[str, str]:
    """The tables that the text of a house file names, by name, as far as they lie beside it."""
    return {n: read_text(path.parent / n, n) for n in _sheet_names(text) if (path.parent / n).is_file()}


def house_files(path: Path) -> tuple[Path, ...]:
    """A house file and the phrase tables that it names, whether they are there or not."""
    try:
        text = read_text(path, lasting=True)
    except HouseError:
        return (path,)
    return (path, *(path.parent / name for name in _sheet_names(text)))


def log_path(place: str | os.PathLike[str]) -> Path:
    """Where the log of a house lies if nobody says otherwise: beside its file, a sample's in the user's own folder for programs.

    >>> log_path("marigold").name
    'marigold.db'
    """
    path = find_house(place)
    if path.parent.parent == Path(str(resources.files("glossa") / "samples")):
        import click

        return Path(click.get_app_dir("glossa")) / f"{path.parent.name}.db"
    return path.with_suffix(".db")


SIGNATURES: Mapping[str, tuple[bytes, ...]] = {
    ".png": (b"\x89PNG",), ".pdf": (b"%PDF",), ".svg": (b"<?xml", b"<svg"), ".xml": (b"<?xml", b"<testsuite"), ".html": (b"<!doctype html",),
    ".jsonl": (b"{",), ".json": (b"[", b"{"), ".csv": (b"utterance", b"said"), ".codes": (b"code", b"utterance"), ".toml": (), ".recogniser": (b"# how a recogniser mishears",),
    ".abnf": (b"#abnf",), ".grxml": (b"<?xml", b"<grammar"), ".jsgf": (b"#jsgf",), ".pls": (b"<?xml", b"<lexicon"),
}  # fmt: skip
"""How the files begin that Glossa writes, by their ending; what begins otherwise is somebody else's."""


def write_file(path: Path, content: bytes | str, like: str = "") -> None:
    """Write a file, all at once or not at all; its mode is kept, and a link to it is followed.

    Args:
        path: the file.
        content: what it holds then.
        like: the ending that says what sort of file it is; the path's own by default.

    Raises:
        HouseError: where it can't be written, or a file of another sort is there; everything is as it was then.
    """
    data = content.encode() if isinstance(content, str) else content
    begins = SIGNATURES.get(like or path.suffix.lower(), ())
    try:
        target = path.resolve()
        there = target.stat() if target.exists() else None
        if there is not None and not stat.S_ISREG(there.st_mode):
            raise HouseError([Problem(str(path), 0, "", "is there already and is no file", "name another file")])
        if there is not None and begins and there.st_size:
            with target.open("rb") as file:
                head = file.read(64).removeprefix(b"\xef\xbb\xbf").lstrip().lower()
            if not head.startswith(tuple(b.lower() for b in begins)):
                hint = "name another file; nothing was changed"
                raise HouseError([Problem(str(path), 0, "", "is there already and is a file of another sort", hint)])
        if there is not None and not os.access(target, os.W_OK):
            raise PermissionError(13, "the file can't be written")
        _replace(target, data, stat.S_IMODE(there.st_mode) if there is not None else None)
    except HouseError:
        raise
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise HouseError([Problem(str(path), 0, "", f"can't be written: {reason}", "nothing was changed")]) from None


def _replace(target: Path, data: bytes, mode: int | None) -> None:
    """Put a file in the place of another, from one beside it whose name nobody can guess."""
    number, name = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name[:100]}.", suffix=".part")
    try:
        with open(number, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        if mode is None:
            mode = 0o666 & ~_umask()
        os.chmod(name, mode)
        os.replace(name, target)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


def _umask() -> int:
    """The mask of new files' modes; it can only be read by setting it."""
    mask = os.umask(0o077)
    os.umask(mask)
    return mask


def write_house(path: Path, text: str) -> Path:
    """Replace a house file, all at once or not at all, and keep what it was.

    The new text is checked as a house first. What it was lies beside the file as ``house.toml.bak``, or under the next free number; an
    earlier one is never written over.

    Raises:
        HouseError: where the text is no house any more, or can't be written; the file is as it was then.
    """
    if path.parent.parent == Path(str(resources.files("glossa") / "samples")):
        hint = f"take a copy: glossa new my-{path.parent.name} --from {path.parent.name}"
        raise HouseError([Problem(str(path), 0, "", "is a sample house, which stays as it is", hint)])
    read_house(text, sheets_beside(path, text), str(path), languages())
    try:
        if not os.access(path, os.W_OK):
            raise PermissionError(13, "the file can't be written")
        before, mode = path.read_bytes(), stat.S_IMODE(path.stat().st_mode)
        backup = backup_of(path, before)
        if not backup.exists():
            _replace(backup, before, mode)
        _replace(path.resolve(), text.encode(), mode)
    except OSError as error:
        hint = "nothing was changed"
        raise HouseError([Problem(str(path), 0, "", f"can't be written: {error.strerror or error}", hint)]) from None
    return backup


def backup_of(path: Path, content: bytes) -> Path:
    """Where a file's content is kept: where it is kept already, or a name that is free."""
    for number in count(1):
        backup = path.with_name(path.name + ".bak" + (f".{number}" if number > 1 else ""))
        if not backup.exists() or backup.read_bytes() == content:
            return backup
    raise AssertionError("numbers end")
