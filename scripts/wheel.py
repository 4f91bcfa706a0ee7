"""Builds the wheel, installs it into an empty environment, and runs the first commands of the README from it.

It needs the network of a package index. Says how big the environment is and how many packages it holds, and fails where the core
has grown beyond ``MOST_NAMED`` packages or ``MOST_MB``.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
import tomllib
import venv
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
MOST_NAMED, MOST_MB = 11, 130
COMMANDS = (
    ("glossa --version", 0, "glossa "),
    ("glossa new my-home", 0, "wrote"),
    ("glossa check my-home", 0, "no errors"),
    ('glossa say my-home "uh could you put the office light on"', 0, "desk_lamp"),
    ("glossa test my-home", 0, "rows right"),
    ("printf 'desk lamp on\\n' | glossa talk my-home", 0, "desk lamp on"),
    ("printf 'desk lamp on\\n' | glossa listen my-home --dry-run --log /dev/null", 0, "accept"),
    ("glossa test marigold", 0, "rows right"),
    ("glossa say horno 'enciende el horno grande a doscientos grados'", 0, "200"),
    ("glossa say my-home lamp --picture lamp.png", 2, "pip install 'glossa[plots]'"),
    ("glossa export marigold --form abnf", 0, "#ABNF 1.0"),
    ("glossa export marigold --form grxml", 2, "pip install 'glossa[exchange]'"),
    ("echo '#ABNF 1.0;' > a.abnf; glossa import my-home a.abnf", 2, "pip install 'glossa[exchange]'"),
    ("glossa tune my-home", 2, "pip install 'glossa[tune]'"),
)


def main() -> None:
    """Build, install, run."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        build = [sys.executable, "-m", "pip", "wheel", "--quiet", "--no-deps", "--wheel-dir", str(folder), str(ROOT)]
        subprocess.run(build, check=True)
        (wheel,) = folder.glob("*.whl")
        empty = folder / "env"
        venv.create(empty, with_pip=True)
        before, started = size(empty), time.monotonic()
        subprocess.run(
            [empty / "bin/python", "-m", "pip", "install", "--quiet", "--disable-pip-version-check", str(wheel)], check=True
        )
        grown, taken = size(empty) - before, time.monotonic() - started
        named = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))["project"]["dependencies"]
        listed = subprocess.run(
            [empty / "bin/python", "-m", "pip", "list", "--format=json"], check=True, capture_output=True, text=True
        )
        packages = [p["name"] for p in json.loads(listed.stdout) if p["name"] not in ("pip", "setuptools")]
        print(f"{len(named)} packages named, {len(packages)} installed, {grown:.0f} MB, {taken:.0f} s")
        failed = len(named) > MOST_NAMED or grown > MOST_MB
        for command, code, holds in COMMANDS:
            path = f"{empty / 'bin'}:/usr/bin:/bin"
            environment = {"PATH": path, "HOME": name, "LANG": "C.UTF-8"}
            done = subprocess.run(["bash", "-c", command], cwd=folder, env=environment, capture_output=True, encoding="utf-8")
            if done.returncode != code or holds not in done.stdout + done.stderr:
                failed = True
                print(f"$ {command}\n(exit code {done.returncode}, not {code}, or no “{holds}”)\n{done.stdout}{done.stderr}")
        sys.exit(1 if failed else 0)


def size(folder: Path) -> float:
    """What the files below a folder take, in MB."""
    return sum(f.stat().st_size for f in folder.rglob("*") if f.is_file() and not f.is_symlink()) / 1e6


if __name__ == "__main__":
    main()
