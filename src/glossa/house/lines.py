"""Which line of a TOML text a key stands on; only asked when something is wrong."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from tree_sitter import Node

Path = tuple[str | int, ...]


@lru_cache(maxsize=4)
def line_numbers(text: str) -> dict[Path, int]:
    """The line, from 1, of every key path in a TOML text; list items are numbered from 0."""
    import tree_sitter
    import tree_sitter_toml

    parser = tree_sitter.Parser(tree_sitter.Language(tree_sitter_toml.language()))
    found: dict[Path, int] = {}
    counts: dict[Path, int] = {}
    for node in parser.parse(text.encode()).root_node.children:
        if node.type == "pair":
            _pair(node, (), found)
        elif node.type in ("table", "table_array_element"):
            path = _keys(node.named_children[0])
            if node.type == "table_array_element":
                number = counts.get(path, 0)
                counts[path] = number + 1
                path = (*path, number)
            _note(path, node, found)
            for child in node.named_children[1:]:
                if child.type == "pair":
                    _pair(child, path, found)
    return found


def line_of(text: str, path: Path) -> int:
    """The line of a key path, or of the nearest table around it; 0 where there is none."""
    lines = line_numbers(text)
    while path:
        if path in lines:
            return lines[path]
        path = path[:-1]
    return 0


def _keys(node: Node) -> Path:
    if node.type == "dotted_key":
        return tuple(k for child in node.named_children for k in _keys(child))
    text = (node.text or b"").decode()
    return (text.strip("\"'"),)


def _note(path: Path, node: Node, found: dict[Path, int]) -> None:
    for end in range(1, len(path) + 1):
        found.setdefault(path[:end], node.start_point[0] + 1)
    found[path] = node.start_point[0] + 1


def _pair(node: Node, above: Path, found: dict[Path, int]) -> None:
    path = (*above, *_keys(node.named_children[0]))
    _note(path, node, found)
    _inside(node.named_children[-1], path, found)


def _inside(value: Node, path: Path, found: dict[Path, int]) -> None:
    if value.type == "inline_table":
        for child in value.named_children:
            if child.type == "pair":
                _pair(child, path, found)
    elif value.type == "array":
        items = [child for child in value.named_children if child.type != "comment"]
        for number, item in enumerate(items):
            found[(*path, number)] = item.start_point[0] + 1
            _inside(item, (*path, number), found)
