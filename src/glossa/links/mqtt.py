"""Commands as MQTT messages, and the states that come back (MQTT 3.1.1 and 5, OASIS standards)."""

from __future__ import annotations

import contextlib
import math
import os
import secrets
import socket
import ssl
import struct
import threading
import time
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from paho.mqtt.client import Client, MQTTMessage, MQTTv5, MQTTv311
from paho.mqtt.enums import CallbackAPIVersion, MQTTErrorCode
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties

from glossa.commands import Command, TopicCommand
from glossa.house.links import LinkOptions, MqttOptions
from glossa.links.link import Declined, Inbox, Link, Surroundings, Unanswered, Unreachable, of_form
from glossa.links.standstill import Standstill

CONNECT_TIMEOUT = 5.0
ANSWER = 2.0
"""Seconds in which a broker answers, or is taken to stand still: nothing is handed over to it then."""
FRESH = 0.02
"""Seconds for which an answer shows that the broker is at work."""
PULSE = 1.0
"""Seconds between two looks at a broker over which somebody speaks, and ``STILL`` those without an answer that are a standstill."""
STILL = 2.5
LEAST = 0.05
NOWHERE = "glossa/nowhere"
"""A topic that was never subscribed to; a broker confirms that it is unsubscribed from all the same (MQTT 3.1.1, 3.10.4-5)."""


class MqttLink(Link):
    """A broker.

    Every connection is a new client with a clean session, so that nothing which was handed over before a loss can come out
    of a queue afterwards: a message that the broker has not confirmed is reported, and never repeated.

    Args:
        options: those of the house file: ``host``, ``port``, ``username``, ``password_env``, ``version``, ``tls``, ``ca_file``,
            ``keepalive`` in seconds, ``will_topic``.
        house: the house's id, for ``$house`` and the client id.
        topics: what to subscribe to; wildcards may be used.
        environment: where the password is found, that of the process by default.
        heard: somebody speaks over it: look every second whether the broker answers, so that what waited in it is known to be old.
        announce: publish "online" at the will topic, retained, and have the broker publish "offline" when the connection
            is lost (the last will).
        clock: seconds on a clock that never goes back, by which a broker's answers grow old.
    """

    def __init__(
        self,
        options: MqttOptions,
        house: str,
        topics: Iterable[str] = (),
        environment: Mapping[str, str] | None = None,
        *,
        announce: bool = False,
        heard: bool = False,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._options = options
        self._house = house
        self._topics = tuple(dict.fromkeys(topics))
        self._environment = os.environ if environment is None else environment
        self._five = options.version == "5"
        self._status = options.will_topic.replace("$house", house) if announce else ""
        self._heard = heard
        self._clock = clock
        self._session: _Session | None = None

    @classmethod
    def of(cls, options: LinkOptions, around: Surroundings) -> MqttLink:
        """The broker of a house file."""
        assert isinstance(options, MqttOptions)
        return cls(options, around.house.id, around.topics, around.environment, announce=around.announce, heard=around.heard)

    def open(self, inbox: Inbox) -> None:
        """Connect, say that the house is there, and subscribe."""
        session = _Session(self._client(), inbox, self._clock)
        try:
            session.connect(self._options.host, self._options.number, self._options.keepalive)
            session.subscribe(self._topics)
            if self._status:
                session.publish(self._status, b"online", 1, True, None, CONNECT_TIMEOUT)
        except (Unanswered, Declined) as error:
            session.end()
            raise Unreachable(str(error)) from error
        except Unreachable:
            session.end()
            raise
        if self._heard:
            session.watch()
        self._session = session

    def send(self, command: Command, seconds: float) -> None:
        """Publish, once the broker has shown that it answers; it has taken the message when this comes back.

        With quality of service 1 or 2 it has confirmed it; with 0 it has answered what was sent behind it, on the same connection.
        """
        message = of_form(command, TopicCommand)
        self.publish(message.topic, message.payload.encode(), message.qos, message.retain, seconds)

    def publish(self, topic: str, payload: bytes, qos: int, retain: bool, seconds: float) -> None:
        """Publish bytes; raises as :meth:`send` does.

        With MQTT 5 a message that is not retained expires (section 3.3.2.3.3) when a broker would keep it longer than ``seconds``.
        """
        session = self._session
        if session is None:
            raise Unreachable("not connected")
        properties = None
        if self._five and not retain:
            properties = Properties(PacketTypes.PUBLISH)  # type: ignore[no-untyped-call]
            properties.MessageExpiryInterval = max(1, math.ceil(seconds))
        until = self._clock() + seconds
        if not session.answers(min(seconds, ANSWER)):
            raise Unreachable("the broker does not answer")
        seconds = max(LEAST, until - self._clock())
        try:
            session.publish(topic, payload, qos, retain, properties, seconds)
            if qos == 0 and not session.answers(max(LEAST, until - self._clock()), since=self._clock()):
                raise Unanswered(f"the broker has not answered within {seconds:.3g} s")
        except Unanswered:
            session.end(abort=True)  # what is still on its way in our own buffers must not arrive late
            session.inbox.lost("the broker does not answer")
            raise

    def close(self) -> None:
        """Say goodbye and disconnect."""
        session, self._session = self._session, None
        if session is None:
            return
        if self._status:
            with contextlib.suppress(Unreachable, Unanswered, Declined):
                session.publish(self._status, b"offline", 1, True, None, 1.0)
        session.end()

    def _client(self) -> Client:
        own: dict[str, Any] = {} if self._five else {"clean_session": True}
        client = Client(
            CallbackAPIVersion.VERSION2,
            client_id=f"glossa-{self._house[:8]}-{secrets.token_hex(4)}",
            protocol=MQTTv5 if self._five else MQTTv311,
            reconnect_on_failure=False,
            **own,
        )
        client.connect_timeout = CONNECT_TIMEOUT
        client.on_socket_open = _without_delay
        name = self._options.username
        variable = self._options.password_env
        if variable and variable not in self._environment:
            raise Unreachable(f"the environment variable {variable} is not set")
        if name:
            client.username_pw_set(name, self._environment.get(variable) if variable else None)
        if self._options.encrypted:
            try:
                client.tls_set_context(ssl.create_default_context(cafile=self._options.ca_file or None))
            except OSError as error:
                raise Unreachable(f"{self._options.ca_file}: {error.strerror or error}") from error
        if self._status:
            client.will_set(self._status, b"offline", qos=1, retain=True)
        return client


def _without_delay(client: Client, data: Any, raw: Any) -> None:
    """Small messages are not held back until an earlier one was acknowledged (RFC 896): that takes 40 ms."""
    with contextlib.suppress(OSError, AttributeError):
        raw.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)


class _Session:
    """One connection of one client."""

    def __init__(self, client: Client, inbox: Inbox, clock: Callable[[], float]) -> None:
        self.client, self.inbox, self._clock = client, inbox, clock
        self._changed = threading.Condition()
        self._refused: str | None = None
        self._up = False
        self._over = ""
        self._ended = False
        self._published: dict[int, str] = {}
        self._subscribed: dict[int, str] = {}
        self._unsubscribed: set[int] = set()
        self._answered = float("-inf")
        self._pulse: Standstill | None = None
        client.on_connect = self._on_connect
        client.on_disconnect = self._on_disconnect
        client.on_message = self._on_message
        client.on_publish = self._on_publish
        client.on_subscribe = self._on_subscribe
        client.on_unsubscribe = self._on_unsubscribe

    def connect(self, host: str, port: int, keepalive: int) -> None:
        try:
            self.client.connect(host, port, keepalive)
        except (OSError, ValueError) as error:
            raise Unreachable(f"{host}:{port}: {getattr(error, 'strerror', None) or error}") from error
        self.client.loop_start()
        with self._changed:
            self._changed.wait_for(lambda: self._up or self._over or self._refused is not None, CONNECT_TIMEOUT)
            if not self._up:
                raise Unreachable(f"{host}:{port}: {self._refused or self._over or 'the broker does not answer'}")

    def subscribe(self, topics: tuple[str, ...]) -> None:
        for start in range(0, len(topics), 100):
            code, number = self.client.subscribe([(topic, 1) for topic in topics[start : start + 100]])
            if code != MQTTErrorCode.MQTT_ERR_SUCCESS or number is None:
                raise Unreachable("the broker takes no subscriptions")
            with self._changed:
                self._changed.wait_for(lambda n=number: n in self._subscribed or self._over, CONNECT_TIMEOUT)  # type: ignore[misc]
                refused = self._subscribed.pop(number, self._over or "the broker does not answer")
            if refused:
                raise Unreachable(refused)

    def publish(self, topic: str, payload: bytes, qos: int, retain: bool, properties: Properties | None, seconds: float) -> None:
        with self._changed:
            if self._over or not self._up:
                raise Unreachable(self._over or "not connected")
        try:
            info = self.client.publish(topic, payload, qos, retain, properties)
        except ValueError as error:
            raise Declined(str(error)) from error
        if info.rc != MQTTErrorCode.MQTT_ERR_SUCCESS:
            # The client keeps it in a queue of its own, which goes away with this session.
            self.end(abort=True)
            raise Unreachable("not connected")
        with self._changed:
            done = self._changed.wait_for(lambda: info.mid in self._published or self._over, seconds)
            answer = self._published.pop(info.mid, None)
            self._answered = self._clock() if qos and answer is not None else self._answered
        if answer is None:
            raise Unanswered(self._over if done else f"the broker has not confirmed it within {seconds:.3g} s")
        if answer:
            raise Declined(answer)

    def answers(self, seconds: float, since: float | None = None) -> bool:
        """Whether the broker answers: it did a moment ago, or, where ``since`` is given, it does to what is asked now."""
        if since is None and self._clock() - self._answered < FRESH:
            return True
        code, number = self.client.unsubscribe(NOWHERE)
        if code != MQTTErrorCode.MQTT_ERR_SUCCESS or number is None:
            return False
        with self._changed:
            self._changed.wait_for(lambda: number in self._unsubscribed or self._over, seconds)
            answered = number in self._unsubscribed
            self._unsubscribed.discard(number)
        return answered

    def watch(self) -> None:
        """Look after the broker's answers until the connection ends."""
        self._pulse = Standstill(self._clock(), STILL)
        threading.Thread(target=self._look, name="broker pulse", daemon=True).start()

    def _look(self) -> None:
        assert self._pulse is not None
        while not self._over and not self._ended:
            if self.answers(CONNECT_TIMEOUT, since=self._clock()):
                self._pulse.beat(self._clock())
            time.sleep(PULSE)

    def end(self, *, abort: bool = False) -> None:
        self._ended = True
        raw = self.client.socket()
        if abort and isinstance(raw, socket.socket):
            with contextlib.suppress(OSError):
                raw.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))
                raw.shutdown(socket.SHUT_RDWR)
        with contextlib.suppress(Exception):
            self.client.disconnect()
        with contextlib.suppress(Exception):
            self.client.loop_stop()
        with contextlib.suppress(Exception):
            if raw is not None:
                raw.close()
        with contextlib.suppress(Exception):
            self.client._reset_sockets()  # its own pair of sockets, which it only lets go of when it is collected

    def _on_connect(self, client: Client, data: Any, flags: Any, reason: Any, properties: Any) -> None:
        with self._changed:
            if reason.is_failure:
                self._refused = f"the broker says: {reason}"
            else:
                self._up = True
            self._changed.notify_all()

    def _on_disconnect(self, client: Client, data: Any, flags: Any, reason: Any, properties: Any) -> None:
        with self._changed:
            told = self._up and not self._ended and not self._over
            told_why = str(reason) not in ("Success", "Normal disconnection", "Unspecified error")
            self._over = self._over or ("the connection broke" + (f": {reason}" if told_why else ""))
            self._changed.notify_all()
        if told:
            self.inbox.lost(self._over)

    def _on_message(self, client: Client, data: Any, message: MQTTMessage) -> None:
        waited = self._pulse.waited(self._clock()) if self._pulse is not None else 0.0
        self.inbox.arrived(message.topic, bytes(message.payload), bool(message.retain), waited)

    def _on_publish(self, client: Client, data: Any, mid: int, reason: Any, properties: Any) -> None:
        with self._changed:
            failed = getattr(reason, "is_failure", False)
            self._published[mid] = f"the broker says: {reason}" if failed else ""
            while len(self._published) > 1000:
                self._published.pop(next(iter(self._published)))
            self._changed.notify_all()

    def _on_unsubscribe(self, client: Client, data: Any, mid: int, reasons: Any, properties: Any) -> None:
        with self._changed:
            self._answered = self._clock()
            self._unsubscribed.add(mid)
            self._changed.notify_all()

    def _on_subscribe(self, client: Client, data: Any, mid: int, reasons: Any, properties: Any) -> None:
        with self._changed:
            refused = [str(r) for r in reasons if r.is_failure]
            self._subscribed[mid] = f"the broker refuses to subscribe: {refused[0]}" if refused else ""
            self._changed.notify_all()
