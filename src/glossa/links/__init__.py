"""Where commands go and states come from. A link of your own is a subclass of :class:`Link`."""

from glossa.links.link import Declined, Inbox, Link, LinkError, Unanswered, Unreachable

__all__ = ["Declined", "Inbox", "Link", "LinkError", "Unanswered", "Unreachable"]
