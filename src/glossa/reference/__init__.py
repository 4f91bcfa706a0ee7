"""What Glossa says about itself: the keys of a house file as a page, an entry each, and a JSON Schema."""

from glossa.reference.keys import Key, Topic, found_keys, topics
from glossa.reference.schema import house_schema

__all__ = ["Key", "Topic", "found_keys", "house_schema", "topics"]
