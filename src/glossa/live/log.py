"""The log of what happened: one SQLite file with a size limit."""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Callable, Iterator, Mapping
from contextlib import closing, suppress
from itertools import count
from pathlib import Path
from typing import Any

from filelock import FileLock, Timeout
from msgspec import Struct

from glossa.house import HouseError, Problem
from glossa.house.text import many
from glossa.live.records import Record

MEGABYTES = 50.0
LEAST_MEGABYTES = 0.25
RETRY = 60.0
"""Seconds until a log that could not be written is tried again."""
CHECK_EVERY = 200
"""Records between two looks at the size."""
SHARE = 0.1
"""The oldest part of the records that goes when the log is full."""
OWN = 0x676C6F73
"""The application id of a log (SQLite file format, section 1.3.17): "glos"."""
BUSY = 2.0
"""Seconds that a log which another program reads or writes is waited for."""
NOT_KEPT = ("state",)

_SCHEMA = """
create table if not exists records (
  id integer primary key, time real not null, run real not null, number integer not null, kind text not null,
  outcome text not null, intent text not null, utterance text not null, data text not null
);
create table if not exists locks (passcode text primary key, data text not null);
"""

NEEDED: Mapping[str, tuple[str, ...]] = {
    "heard": ("utterance", "outcome"), "sent": ("command",), "failed": ("command", "how"), "link": ("link", "state"),
    "begun": ("commands",), "lock": ("passcode", "wrong", "rounds"), "said": ("reply",), "mode": ("mode",), "start": ("house", "sources"),
    "stop": ("why", "heard", "accepted", "sent", "failed"),
}  # fmt: skip
"""What a record of a kind holds at least; a row without it was written by something else, or broke."""


class Entry(Struct, frozen=True):
    """A record as the log keeps it; ``run`` is the time of the start that it belongs to, in seconds since 1970."""

    id: int
    time: float
    run: float
    number: int
    kind: str
    data: Mapping[str, Any]

    @property
    def record(self) -> Record:
        """The record."""
        return Record(self.kind, self.time, self.number, self.data)


class EventLog:
    """Writes the log. One program at a time may write it; any may read it meanwhile.

    What can't be written is counted and told of once; the house goes on without, and tries again after ``RETRY`` seconds. A log that broke is kept
    beside as ``.broken`` and made anew; ``mended`` says so.

    Args:
        path: the file; it is made when it is not there, readable by its owner only.
        clock: seconds on a clock that never goes back.
        trouble: told when the log can't be written, and when it can be again.
        megabytes: the most that the file may hold; the oldest records go first.
        talk: whether what was not addressed to the house is kept too.

    Raises:
        HouseError: where the file can't be opened, is no log, or another program writes it.
    """

    def __init__(
        self,
        path: Path,
        *,
        clock: Callable[[], float],
        trouble: Callable[[str], None] = lambda why: None,
        megabytes: float = MEGABYTES,
        talk: bool = True,
    ) -> None:
        self.path = path
        self.lost = 0
        self._clock, self._trouble, self._talk = clock, trouble, talk
        self._most = int(max(megabytes, LEAST_MEGABYTES) * 1_000_000)
        self._written = 0
        self._retry_at = float("-inf")
        self._run = 0.0
        self._lock = FileLock(f"{path}.lock")
        try:
            path.parent.stat()  # a folder that is not there is a slip of the pen, and not to be made
            self._lock.acquire(timeout=0)
            self.mended = _set_aside(path)
            os.close(os.open(path, os.O_CREAT | os.O_RDWR, 0o600))
            self._base: sqlite3.Connection | None = _opened(path)
        except Timeout:
            hint = "end the other one, or give this one a log of its own with --log"
            raise HouseError([Problem(str(path), 0, "", "another glossa listen is writing this log", hint)]) from None
        except (OSError, sqlite3.Error) as error:
            self._lock.release()
            reason = getattr(error, "strerror", None) or str(error)
            raise HouseError(
                [Problem(str(path), 0, "", f"can't be used as a log: {reason}", "name another file with --log")]
            ) from None

    @property
    def state(self) -> str:
        """``ok``, or since when how many records are lost."""
        return "ok" if not self.lost else f"{many(self.lost, 'record')} lost"

    def write(self, record: Record) -> None:
        """Keep a record."""
        if record.kind == "start":
            self._run = record.time
        asleep = record.kind == "heard" and record.data.get("outcome") == "asleep"
        if record.kind in NOT_KEPT or (asleep and not self._talk):
            return
        if self._base is None and self._clock() < self._retry_at:
            self.lost += 1
            return
        lost = self.lost
        try:
            if self._base is None:
                self._base = _opened(self.path)
            # What was begun must be known after a power cut, too: it is on the disk before the first command is sent.
            self._base.execute(f"pragma synchronous = {'full' if record.kind == 'begun' else 'normal'}")
            self._insert(self._base, record)
            self._written += 1
            if self._written % CHECK_EVERY == 1:
                self._shrink(self._base)
        except (sqlite3.Error, OSError) as error:
            self._fail(error)
            return
        if lost:
            self.lost = 0
            self._trouble(f"the log is written again; {many(lost, 'record')} missing in it")

    def _insert(self, base: sqlite3.Connection, record: Record) -> None:
        data = record.data
        text = str(data.get("utterance") or data.get("text") or "")
        values = (
            record.time,
            self._run,
            record.number,
            record.kind,
            str(data.get("outcome") or ""),
            str(data.get("intent") or ""),
            text,
        )
        with base:
            base.execute(
                "insert into records (time, run, number, kind, outcome, intent, utterance, data) values (?, ?, ?, ?, ?, ?, ?, ?)",
                (*values, json.dumps(dict(data), ensure_ascii=False)),
            )
            if record.kind == "lock" and not data.get("rehearsal"):  # it stands for itself, however often the log turns over
                base.execute("insert or replace into locks values (?, ?)", (data["passcode"], json.dumps(dict(data))))

    def locks(self) -> tuple[Mapping[str, Any], ...]:
        """The last state of every lock."""
        rows = self._base.execute("select data from locks").fetchall() if self._base is not None else []
        found = (_data("lock", data) for (data,) in rows)
        return tuple(data for data in found if data is not None)

    def _fail(self, error: Exception) -> None:
        if self._base is not None:
            with suppress(sqlite3.Error):
                self._base.close()
        self._base = None
        self._retry_at = self._clock() + RETRY
        first = not self.lost
        self.lost += 1
        if first:
            self._trouble(f"{self.path} can't be written: {error}; the house goes on without a log")

    def _shrink(self, base: sqlite3.Connection) -> None:
        size = base.execute("pragma page_size").fetchone()[0]
        while True:
            pages = base.execute("pragma page_count").fetchone()[0] - base.execute("pragma freelist_count").fetchone()[0]
            count = base.execute("select count(*) from records").fetchone()[0]
            if pages * size <= self._most or count < 10:
                break
            with base:
                oldest = "select id from records order by id limit ?"
                base.execute(f"delete from records where id in ({oldest})", (max(1, int(count * SHARE)),))
        base.execute("pragma incremental_vacuum").fetchall()

    def close(self) -> None:
        """Let the file go."""
        if self._base is not None:
            with suppress(sqlite3.Error):
                self._base.close()
        self._lock.release()


def _set_aside(path: Path) -> str:
    """Keep a log that broke beside, so that it is made anew: what is to be told of it, ``""`` for a log that is sound or somebody else's file."""
    if not path.is_file() or not path.stat().st_size:
        return ""
    with path.open("rb") as file:
        head = file.read(100)
    own = head[:16] == b"SQLite format 3\0" and (len(head) < 72 or int.from_bytes(head[68:72]) == OWN)
    if not own:
        return ""
    try:
        with closing(sqlite3.connect(path, timeout=BUSY)) as base:
            if base.execute("pragma quick_check(1)").fetchone()[0] == "ok":
                return ""
    except sqlite3.OperationalError:
        return ""  # it is locked, or the disk is full: nothing says that it broke
    except sqlite3.DatabaseError:
        pass
    kept = next(p for n in count(1) if not (p := path.with_name(f"{path.name}.broken{n if n > 1 else ''}")).exists())
    path.rename(kept)
    for beside in ("-wal", "-shm"):  # what was written last may only stand there
        with suppress(FileNotFoundError):
            path.with_name(path.name + beside).rename(kept.with_name(kept.name + beside))
    return f"the log {path.name} was broken and begins anew; what is left of it is in {kept.name}"


def _data(kind: str, written: str) -> dict[str, Any] | None:
    """The data of a record, None where it is not of the form."""
    try:
        data = json.loads(written)
    except ValueError:
        return None
    if not isinstance(data, dict) or any(key not in data for key in NEEDED.get(kind, ())):
        return None
    return {"intent": None, "slots": {}, "commands": [], **data} if kind == "heard" else data


def _opened(path: Path) -> sqlite3.Connection:
    base = sqlite3.connect(path, timeout=BUSY, check_same_thread=False)
    try:
        held = {name for (name,) in base.execute("select name from sqlite_master where type = 'table'")}
        if held and (not held <= {"records", "locks"} or base.execute("pragma application_id").fetchone()[0] not in (0, OWN)):
            raise sqlite3.DatabaseError("it is the database of another program")
        base.execute(f"pragma application_id = {OWN}")
        base.execute("pragma auto_vacuum = incremental")
        base.execute("pragma journal_mode = wal")
        base.execute("pragma synchronous = normal")
        base.execute("pragma wal_autocheckpoint = 100")
        base.execute("pragma journal_size_limit = 400000")
        base.executescript(_SCHEMA)
        base.commit()
    except sqlite3.Error:
        base.close()
        raise
    return base


def read_log(
    path: Path,
    *,
    kinds: tuple[str, ...] = (),
    outcomes: tuple[str, ...] = (),
    intent: str = "",
    text: str = "",
    since: float | None = None,
    until: float | None = None,
    last: int | None = None,
    live_only: bool = False,
) -> Iterator[Entry]:
    """The records of a log, oldest first; also while a house writes it. A row that is none is given as a ``trouble``.

    Args:
        path: the file.
        kinds, outcomes: only these; all where empty.
        intent: only this intent.
        text: only what holds this text, upper or lower case.
        since, until: seconds since 1970 (UTC), the first included and the last not.
        last: only so many, the newest.
        live_only: leave the records of rehearsals out.

    Raises:
        HouseError: where there is no such log.
    """
    if not path.is_file():
        raise HouseError([Problem(str(path), 0, "", "there is no log here", "glossa listen writes one; name it with --log")])
    where, values = ["1"], list[Any]()
    for column, options in (("kind", kinds), ("outcome", outcomes)):
        if options:
            where.append(f"{column} in ({', '.join('?' * len(options))})")
            values += options
    for clause, value in (
        ("intent = ?", intent or None),
        ("time >= ?", since),
        ("time < ?", until),
        ("utterance like ? escape '\\'", f"%{_like(text)}%" if text else None),
    ):
        if value is not None:
            where.append(clause)
            values.append(value)
    if live_only:
        where.append("(not json_valid(data) or json_extract(data, '$.rehearsal') is null)")
    query = f"select id, time, run, number, kind, data from records where {' and '.join(where)} order by id desc"
    if last is not None:
        query += f" limit {int(last)}"
    try:
        with closing(_to_read(path)) as base:
            rows = base.execute(f"select * from ({query}) order by id", values) if path.stat().st_size else ()
            for number, time, run, utterance, kind, written in rows:
                data = _data(kind, written)
                if data is None:
                    data, kind = {"why": f"row {number} of the log is no record"}, "trouble"
                yield Entry(number, float(time), float(run), int(utterance), kind, data)
    except (sqlite3.Error, ValueError, TypeError) as error:
        raise HouseError([Problem(str(path), 0, "", f"can't be read as a log: {error}")]) from None


def _to_read(path: Path) -> sqlite3.Connection:
    """A log to read; in a folder that can't be written no file for sharing can stand beside it, so that it is taken as it is."""
    place = path.absolute().as_uri()
    base = sqlite3.connect(f"{place}?mode=ro", uri=True, timeout=5.0)
    try:
        base.execute("select 1 from sqlite_master").fetchall()
    except sqlite3.OperationalError:
        base.close()
        base = sqlite3.connect(f"{place}?immutable=1", uri=True)
    return base


def _like(text: str) -> str:
    return text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
