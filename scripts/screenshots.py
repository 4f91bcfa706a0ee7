"""Makes the pictures in docs/screenshots from the sample houses: one for each main command.

Each command runs in a terminal of 100 columns; what it prints is turned into an SVG of a terminal window and that into
a PNG by headless Chromium (Debian package ``chromium``).

    python scripts/screenshots.py [NAME ...]
"""

from __future__ import annotations

import os
import pty
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from rich.console import Console
from rich.text import Text

ROOT = Path(__file__).resolve().parents[1]
FOLDER = ROOT / "docs" / "screenshots"
BROKEN = """[house]
name = "Attic flat"
langages = ["en"]

[rooms]
attic = ["attic"]

[kinds.lamp]
nouns = ["lamp"]
properties.power = { type = "swich" }

[devices.reading_lamp]
kind = "lmap"
names = ["reading (lamp"]
room = "atic"

[intents.switch]
phrases = ["turn $power [the] $device"]
set = { pwer = "$power" }
"""
FAILING = """utterance,outcome,intent,slots,note
galley lamp on,,switch,device=galley_lamp power=on,lamps
saloon lamp to forty,,set_level,device=saloon_lamp level=50,lamps
cabin lamp off,,switch,device=big_cabin_lamp,lamps
heater to twenty,,warmth,temperature=20,warmth
the galley lamp is broken,reject,,,talk
"""
TALK = (
    "0 ahoy barnacle\\n2 fan on low\\n4 the stove fan\\n7 set the reading lamp to ninety\\n10 seventy\\n13 make it a bit brighter\\n15 and the galley lamp, then turn the stove fan off\\n"
    "16 back to what it was\\n19 open the hatch\\n21 one one one one\\n24 two four six eight\\n"
)
# What somebody says to a live house; the household ends in between, so that the links break.
SAID = (
    "sleep 1.5; echo pass the salt; echo ahoy barnacle; sleep 1; echo um turn the galley lap on; sleep 0.5; echo a bit brighter; sleep 0.5;"
    """ echo '{"text": "saloon lam", "alternatives": ["saloon lamp to seventy"]}'; sleep 0.5; echo open the hatch; sleep 0.5;"""
    " echo one two three four; sleep 0.5; echo good night boat; sleep 5; echo ahoy barnacle galley lamp off; sleep 6;"
    """ echo '{"error": "no microphone"}'; sleep 0.2"""
)
HOUSEHOLD = "rm -rf practice; glossa household marigold --broker --write practice --seconds %s >/dev/null 2>&1 & sleep 2.5; "
LISTENING = HOUSEHOLD % 11 + "{ " + SAID + "; } | MARIGOLD_HATCH_PIN=2468 glossa listen practice"
WATCHING = (
    HOUSEHOLD % 14 + "(sleep 2; glossa send practice cabin_lamps power=on; glossa send practice galley_lamp level=40;"
    " glossa send practice deck_lights 'colour=harbour green'; glossa send practice stove_fan speed=high) >/dev/null 2>&1 &"
    " glossa watch practice --link boat --topic 'marigold/+/+/set' --topic marigold/galley_lamp/level --topic marigold/big_cabin_lamp/power --seconds 8"
)
LIVE: dict[str, tuple[str, str]] = {  # the command that is shown, and what is run
    "listen": ("recogniser | glossa listen practice", LISTENING),
    "log": ("glossa log practice --last 16", LISTENING + " >/dev/null 2>&1; glossa log practice --last 16"),
    "watch": ("glossa watch practice --link boat --topic 'marigold/+/+/set'", WATCHING),
}
SHOTS: dict[str, str] = {
    "demo": "glossa demo | sed -n 91,145p",
    "say": "glossa say marigold 'galley lamp to forty' 'galley lamp off and open the saloon vent, then the radio to ten' 'turn off all the lamps but the saloon lamp' \"don't open the hatch\" 'cabin lamp on'",
    "why": "glossa say marigold 'um turn off the gally lamp and then the radio to ten' --why",
    "talk": f"printf '{TALK}' | glossa talk marigold --at",
    "test": "glossa test marigold failing.csv",
    "teaching": "glossa export dinghy --form teaching 2>/dev/null",
    "stress": "glossa stress marigold --every --jobs 2 --most 6 2>/dev/null",
    "tune": "glossa tune strict.toml phrases.csv --talk talk.txt --jobs 2",
    "teach": "printf 'sleep tight\\nsleep tied\\nsleep tight\\n' | glossa teach home good_night",
    "check": "glossa check broken.toml",
    "wake": "glossa wake marigold 'ahoy barnacle' hello galley 'tin whistle'",
    "numbers": "glossa numbers 'twenty one and a half degrees' 'half an hour' 'fifty no sixty percent' 'one oh five' 'two minutes thirty' thirteen 'to' '½' 'two four double six' nonsense",
}


def terminal(command: str, folder: Path) -> str:
    """What a command prints on a terminal of 100 columns."""
    master, slave = pty.openpty()
    environment = {**os.environ, "COLUMNS": "100", "LINES": "60", "TERM": "xterm-256color", "FORCE_COLOR": "1"}
    environment["PATH"] = f"{Path(sys.executable).parent}:{environment['PATH']}"
    process = subprocess.Popen(
        ["sh", "-c", command], stdout=slave, stderr=slave, stdin=subprocess.DEVNULL, cwd=folder, env=environment
    )
    os.close(slave)
    parts = []
    while True:
        try:
            data = os.read(master, 65536)
        except OSError:
            break
        if not data:
            break
        parts.append(data)
    process.wait()
    return b"".join(parts).decode(errors="replace").replace("\r\n", "\n")


def picture(shown: str, output: str, path: Path, browser: str) -> None:
    """Draw a terminal window with a command and its output into a PNG."""
    console = Console(record=True, width=100, file=open(os.devnull, "w"), force_terminal=True)  # noqa: SIM115
    console.print(Text(f"$ {shown}", style="bold"))
    console.print(Text.from_ansi(output))
    with tempfile.TemporaryDirectory() as folder:
        svg = Path(folder) / "window.svg"
        console.save_svg(str(svg), title="glossa")
        lines = output.count("\n") + 3
        size = f"1280,{max(240, int(lines * 25.2 + 30))}"
        page = Path(folder) / "page.html"
        page.write_text(
            f"<body style='margin:0;background:#fff'>{svg.read_text()}</body>".replace("<svg ", "<svg width='1280' ", 1)
        )
        shoot(page, path, size, browser)


def shoot(page: Path, path: Path, size: str, browser: str) -> None:
    """Take a picture of a page with headless Chromium."""
    flags = [
        "--headless",
        "--no-sandbox",
        "--disable-gpu",
        "--hide-scrollbars",
        "--disable-background-networking",
        "--no-first-run",
    ]
    with tempfile.TemporaryDirectory() as profile:
        command = [
            browser,
            *flags,
            f"--user-data-dir={profile}",
            f"--window-size={size}",
            f"--screenshot={path}",
            f"file://{page}",
        ]
        subprocess.run(command, check=True, capture_output=True, timeout=120)


def _prepare(folder: Path) -> None:
    """Houses and tables that the pictures are made of: Marigold as she is, with a change, and much too strict."""
    sample = ROOT / "src" / "glossa" / "samples" / "marigold"
    text = (sample / "house.toml").read_text(encoding="utf-8")
    for name in ("codes.csv", "talk.txt", "tests/phrases.csv"):
        shutil.copy(sample / name, folder / Path(name).name)
    changed = text.replace("raw = [36, 0]", "raw = [0, 36]").replace('"boil', '"heat').replace("minimum = 8\n", "minimum = 20\n")
    (folder / "changed.toml").write_text(changed)
    strict = text.replace("lead = 0.5  ", "accept = 0.995\nconfirm = 0.99\nlead = 0.5  ").replace(
        "matching = { accept = 0.82 }\n", ""
    )
    (folder / "strict.toml").write_text(strict)
    terminal("glossa test marigold phrases.csv --results . --save before; glossa new home", folder)


PAGES = {
    "page": "glossa test marigold failing.csv phrases.csv --html page.html",
    "stress-page": "glossa stress marigold phrases.csv --every --jobs 2 --report page.html",
}


def _page(command: str, folder: Path, path: Path, browser: str) -> None:
    terminal(command, folder)
    shoot(folder / "page.html", path, "1280,1500", browser)


def main() -> None:
    """Make the pictures that are named, or all."""
    browser = shutil.which("chromium") or shutil.which("chromium-browser")
    if browser is None:
        sys.exit("headless Chromium is needed: install the package chromium")
    FOLDER.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[1:] or [*SHOTS, *LIVE, "why-picture", "tune-picture", "page", "stress-page"]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "broken.toml").write_text(BROKEN)
        (folder / "failing.csv").write_text(FAILING)
        _prepare(folder)
        for shot in wanted:
            path = FOLDER / f"{shot}.png"
            if shot == "why-picture":
                from glossa import Matcher, load_house
                from glossa.pictures import draw_match

                draw_match(Matcher(load_house("marigold")).match("um turn of the gally lap please"), str(path))
            elif shot in LIVE:
                shown, command = LIVE[shot]
                picture(shown, terminal(command, folder), path, browser)
            elif shot in PAGES:
                _page(PAGES[shot], folder, path, browser)
            elif shot == "tune-picture":
                terminal(f"{SHOTS['tune']} --picture {path}", folder)
            else:
                command = SHOTS[shot]
                shown = command.split(" | ")[1] if command.startswith("printf") else command.split(" | ")[0].split(" 2>")[0]
                picture(shown, terminal(command, folder), path, browser)
            print(path.relative_to(ROOT))


if __name__ == "__main__":
    main()
