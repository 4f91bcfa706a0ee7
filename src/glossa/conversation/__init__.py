"""A stream of timed utterances -> a stream of events; a state machine with the clock handed in."""

from glossa.conversation.conversation import Conversation
from glossa.conversation.event import Event

__all__ = ["Conversation", "Event"]
