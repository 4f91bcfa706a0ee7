"""Commands as HTTP requests (RFC 9110)."""

from __future__ import annotations

import asyncio
import contextlib
import os
import socket
from collections.abc import Mapping
from typing import Any
from urllib.parse import urlsplit

import httpx

from glossa.commands import Command, RequestCommand
from glossa.house.links import HttpOptions, LinkOptions
from glossa.links.link import Declined, Inbox, Link, Surroundings, Unanswered, Unreachable, of_form

TIMEOUT = 5.0
IDEMPOTENT = ("GET", "HEAD", "PUT", "DELETE", "OPTIONS")
"""Methods that are safe to repeat (RFC 9110, section 9.2.2)."""
TRANSIENT = (502, 503, 504)
PAUSE = 0.2
"""Seconds before a request is repeated."""

PLAIN = "text/plain; charset=utf-8"
MEDIA_TYPES = {"json": "application/json", "form": "application/x-www-form-urlencoded"}


class WebLink(Link):
    """A web server that takes commands.

    A request is repeated within its time where that is safe: any that could not connect, and those of ``IDEMPOTENT`` methods.
    Redirects are not followed: a command goes where the house file says and nowhere else.

    Args:
        options: those of the house file: ``url``, ``timeout`` in seconds, ``token_env``, or ``username`` and
            ``password_env``, ``ca_file``.
        environment: where the token and the password are found, that of the process by default; a token is sent as a bearer token
            (RFC 6750), a name and a password by the basic scheme (RFC 7617).
    """

    def __init__(self, options: HttpOptions, environment: Mapping[str, str] | None = None) -> None:
        self._url = options.url.rstrip("/")
        self._timeout = options.timeout
        held = os.environ if environment is None else environment
        token = held.get(options.token_env, "")
        self._headers = {"Authorization": f"Bearer {token}"} if token else {}
        self._auth = (options.username, held.get(options.password_env, "")) if options.username else None
        self._ca_file = options.ca_file
        self._runner: asyncio.Runner | None = None
        self._client: httpx.AsyncClient | None = None

    @classmethod
    def of(cls, options: LinkOptions, around: Surroundings) -> WebLink:
        """The web server of a house file."""
        assert isinstance(options, HttpOptions)
        return cls(options, around.environment)

    def open(self, inbox: Inbox) -> None:
        """Look whether the server takes connections."""
        parts = urlsplit(self._url)
        try:
            port = parts.port or (443 if parts.scheme == "https" else 80)
            socket.create_connection((parts.hostname or "", port), timeout=min(3.0, self._timeout)).close()
            verify: Any = True
            if self._ca_file:
                import ssl

                verify = ssl.create_default_context(cafile=self._ca_file)
        except (OSError, ValueError) as error:
            raise Unreachable(f"{parts.netloc}: {getattr(error, 'strerror', None) or error}") from error
        self._runner = asyncio.Runner()
        self._client = httpx.AsyncClient(
            headers=self._headers, auth=self._auth, verify=verify, trust_env=False, follow_redirects=False
        )

    def send(self, command: Command, seconds: float) -> None:
        """Make the request; an answer of 200 to 299 is a yes."""
        runner = self._runner
        if runner is None:
            raise Unreachable("the link is closed")
        runner.run(self._within(of_form(command, RequestCommand), min(seconds, self._timeout)))

    async def _within(self, command: RequestCommand, seconds: float) -> None:
        """The request with all its repetitions, under one time limit: a server that answers drop by drop ends there too."""
        last = ""
        try:
            async with asyncio.timeout(seconds):
                while True:
                    last = await self._once(command)
                    if not last:
                        return
                    if self._runner is None:
                        raise Unanswered(last)  # closed meanwhile: nothing is sent once more
                    await asyncio.sleep(PAUSE)
        except TimeoutError:
            raise Unanswered(last or f"no answer within {seconds:.3g} s") from None

    async def _once(self, command: RequestCommand) -> str:
        """Why the request should be made once more, ``""`` when it was taken."""
        assert self._client is not None
        try:
            kind = MEDIA_TYPES.get(command.content) or (
                "application/json" if command.body.lstrip().startswith(("{", "[")) else PLAIN
            )
            async with self._client.stream(
                command.method,
                self._url + "/" + command.path.lstrip("/"),
                content=command.body.encode() or None,
                headers={"Content-Type": kind} if command.body else {},
                timeout=None,
            ) as answer:
                status, where = answer.status_code, answer.headers.get("location", "")
        except (httpx.ConnectError, httpx.ConnectTimeout) as error:
            raise Unreachable(str(error) or "no connection") from error
        except (httpx.HTTPError, httpx.InvalidURL, httpx.StreamError) as error:
            reason = str(error) or type(error).__name__
            if command.method in IDEMPOTENT:
                return reason
            raise Unanswered(reason) from error
        if 200 <= status < 300:
            return ""
        if status in TRANSIENT and command.method in IDEMPOTENT:
            return f"answered {status}"
        raise Declined(f"answered {status}" + (f", a redirect to {where[:200]}" if 300 <= status < 400 and where else ""))

    def close(self) -> None:
        """Close the connections."""
        runner, self._runner = self._runner, None
        client, self._client = self._client, None
        if runner is not None and runner.get_loop().is_running():
            return  # another thread waits for an answer; it makes no further request, and what it holds goes with it
        if runner is not None and client is not None:
            with contextlib.suppress(Exception):
                runner.run(client.aclose())
            runner.close()
