"""XML that comes from anywhere, read so that it can do no harm."""

from __future__ import annotations

from lxml import etree

from glossa.exchange.rules import GrammarProblem


def parse_xml(data: bytes, problems: list[GrammarProblem]) -> etree._Element | None:
    """The root of an XML text; None where it is none, which is noted.

    No entity is resolved, nothing is fetched, and nothing deeper than libxml2's own limits is taken (256 levels, 10 million characters in one text).
    """
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, remove_comments=True, remove_pis=True
    )
    try:
        root = etree.fromstring(data, parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        line = getattr(error, "lineno", 0) or 0
        what = "it is nested more than 256 deep" if "Excessive depth" in str(error) else str(error).split(", line")[0]
        problems.append(GrammarProblem(line, f"not XML that can be read: {what}"))
        return None
    document = root.getroottree().docinfo.internalDTD
    if document is not None and any(True for _ in document.iterentities()):  # type: ignore[union-attr]
        problems.append(GrammarProblem(0, "the file declares entities; nothing of it is read, for they can hide anything"))
        return None
    return root


def local(element: etree._Element) -> str:
    """The name of an element without its namespace."""
    return etree.QName(element).localname if isinstance(element.tag, str) else ""


def line_of(element: etree._Element) -> int:
    """The line that an element begins on, 0 where that is not known."""
    return int(getattr(element, "sourceline", 0) or 0)
