"""``glossa household``."""

from __future__ import annotations

import signal
import sys
import threading
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
from msgspec.structs import replace

from glossa.cli.main import house_argument
from glossa.extras import need
from glossa.files import find_house, house_files, load_house, read_text, write_file
from glossa.house.links import HttpOptions, MqttOptions, SerialOptions, TcpOptions
from glossa.house.sources import SerialSource

if TYPE_CHECKING:
    from glossa.links.household.parts import CodeModule

PATIENCE = 10.0
"""Seconds in which a broker has to answer."""


@click.command()
@house_argument()
@click.option("--broker", is_flag=True, help="Start a broker here, too: mosquitto where it is installed, amqtt otherwise.")
@click.option("--broker-port", type=click.IntRange(1, 65535), help="Where the broker is.  [default: as in the house file]")
@click.option(
    "--write", "folder", type=click.Path(path_type=Path), help="Write a copy of the house whose links lead here into DIR."
)
@click.option("--faults", "wanted", default="", help="What goes wrong: drop=0.1,garbage=0.1,disconnect=0.05,delay=0.5.")
@click.option("--seed", type=int, help="The same seed gives the same faults.")
@click.option("--seconds", type=click.FloatRange(0.1), help="Stop after this many seconds.")
def household(
    house: str, broker: bool, broker_port: int | None, folder: Path | None, wanted: str, seed: int | None, seconds: float | None
) -> None:
    """Play the devices of a house on real wires: on a broker, on a pseudo-terminal, and as a web hook.

    They take commands, report their states and acknowledge, and fail on demand. With --broker and --write there is nothing to
    set up: the copy of the house in DIR leads to this household, and never to your own devices.

    \b
    Examples:
      glossa household marigold --broker --write practice
      glossa listen practice                               (in another terminal)
      glossa household my-home --broker-port 1883 --faults drop=0.1,delay=0.5
    """
    from glossa.cli.terminal import console
    from glossa.links.household import Household
    from glossa.links.household.broker import Broker, NoBroker
    from glossa.links.household.faults import read_faults

    home = load_house(house)
    try:
        faults = read_faults(wanted)
    except ValueError as error:
        raise click.BadParameter(str(error), param_hint="--faults") from None
    if folder is not None and folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise click.ClickException(f"{folder} is there already; name another folder")
    if folder is not None:
        need("tomlkit")
    out = console()
    ports: dict[str, int | str] = {n: broker_port for n, k in home.links.items() if k.type == "mqtt" and broker_port}
    server = None
    signal.signal(signal.SIGTERM, signal.default_int_handler)  # until all is up, both end it where it stands
    if broker and not any(k.type == "mqtt" for k in home.links.values()):
        raise click.UsageError("This house has no MQTT link, so a broker has nothing to do; leave out --broker.")
    if broker:
        # The broker that is started here knows no passwords.
        home = replace(home, links={
            n: replace(k, options=replace(k.options, username="", password_env="", tls=False, ca_file=""))
            if isinstance(k.options, MqttOptions) else k
            for n, k in home.links.items()
        })  # fmt: skip
        try:
            server = Broker(broker_port or 0)
        except NoBroker as error:
            raise click.ClickException(str(error)) from None
        ports = {n: server.port for n, k in home.links.items() if k.type == "mqtt"}
    if folder is not None:
        folder.mkdir(parents=True, exist_ok=True)
        ports |= {n: str((folder / f"{n}.port").absolute()) for n, k in home.links.items() if k.type == "serial"}
        ports |= {n: 0 for n, k in home.links.items() if k.type == "http"}
        ports |= {n: str((folder / f"{n}.port").absolute()) for n, k in home.sources.items() if k.type == "serial"}

    def told(line: str) -> None:
        out.print(f"{time.strftime('%H:%M:%S')}  {line}", markup=False, soft_wrap=True)

    end = threading.Event()
    devices = None
    try:
        devices = Household(home, ports, faults=faults, seed=seed, told=told, patience=min(PATIENCE, seconds or PATIENCE))
        signal.signal(signal.SIGINT, lambda *_: end.set())
        signal.signal(signal.SIGTERM, lambda *_: end.set())
        for name, link in devices.house.links.items():
            match link.options:
                case MqttOptions(port=port) | TcpOptions(port=port):
                    where = f"127.0.0.1:{port}"
                case SerialOptions(port=where) | HttpOptions(url=where):
                    pass
                case _:
                    where = ""
            out.print(
                f"[green]{name}[/]  {link.type}  {where}" + (f"  ({server.name})" if server and link.type == "mqtt" else "")
            )
        for name, module in devices.modules.items():
            out.print(f"[green]{name}[/]  a recogniser  {module.path}")
        if folder is not None:
            _write(house, folder, devices.house)
            out.print(f"\nTry in another terminal:  [bold]glossa listen {folder}[/]  or  [bold]glossa watch {folder}[/]")
        if devices.modules:
            out.print("Type a phrase to have the recogniser hear it.")
            threading.Thread(target=_speak, args=(devices.modules, told), name="speaker", daemon=True).start()
        end.wait(seconds)
    except OSError as error:
        raise click.ClickException(
            f"{error}; start one, or use --broker" if not broker and "no broker answers" in str(error) else str(error)
        ) from None
    finally:
        if devices is not None:
            devices.close()
        if server is not None:
            server.close()


def _speak(modules: Mapping[str, CodeModule], told: Callable[[str], None]) -> None:
    """Have what is typed heard by the recognisers that know it."""
    for line in sys.stdin:
        heard = [name for name, module in modules.items() if module.hear(line)]
        told(
            f"{', '.join(heard)} heard “{line.strip()}”"
            if heard
            else f"no recogniser knows “{line.strip()}”, or it was not greeted yet"
        )


def _write(place: str, folder: Path, home: Any) -> None:
    """A copy of a house file and its tables, its links leading to the household; comments stay."""
    import tomlkit

    path = find_house(place)
    for sheet in house_files(path)[1:]:
        (folder / sheet.name).write_text(read_text(sheet), encoding="utf-8")
    document: Any = tomlkit.parse(read_text(path))
    for name, link in home.links.items():
        written = document.get("links", {}).get(name)
        if written is None:
            continue
        if isinstance(link.options, MqttOptions):
            written["host"], written["port"] = "127.0.0.1", link.options.number
            for key in ("username", "password_env", "tls", "ca_file"):
                written.pop(key, None)
        elif isinstance(link.options, TcpOptions):
            written["host"], written["port"] = "127.0.0.1", link.options.port
        elif isinstance(link.options, SerialOptions):
            written["port"] = link.options.port
        elif isinstance(link.options, HttpOptions):
            written["url"] = link.options.url
    for name, source in home.sources.items():
        written = document.get("sources", {}).get(name)
        if written is not None and isinstance(source.options, SerialSource) and source.options.port:
            written["port"] = source.options.port
    write_file(folder / "house.toml", tomlkit.dumps(document))
