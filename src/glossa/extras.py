"""Packages that only some of Glossa needs, and what to install for them."""

from __future__ import annotations

import importlib.util
from collections.abc import Mapping

EXTRAS: Mapping[str, str] = {
    "matplotlib": "plots", "pandas": "frames", "scipy": "tune", "tomlkit": "tune", "joblib": "cluster", "distributed": "cluster", "amqtt": "practice",
    "websockets": "websocket", "lxml": "exchange",
}  # fmt: skip
"""Package -> the extra that brings it."""


def need(*packages: str, extra: str = "") -> None:
    """See that packages are there before any work is done that would be lost without them.

    ``extra`` is the one to name where several bring a package.

    Raises:
        ModuleNotFoundError: for the first one that is not, with what to install.
    """
    for package in packages:
        if importlib.util.find_spec(package) is None:
            raise ModuleNotFoundError(missing(package, extra), name=package)


def missing(package: str, extra: str = "") -> str:
    """What to say where a package is not there.

    >>> missing("matplotlib")
    "this needs the package 'matplotlib'; install it with: pip install 'glossa[plots]'"
    """
    extra = extra or EXTRAS.get(package, "")
    return f"this needs the package '{package}'; install it with: pip install '{f'glossa[{extra}]' if extra else package}'"
