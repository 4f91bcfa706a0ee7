"""Results as JUnit XML, for a continuous integration server."""

from __future__ import annotations

from collections.abc import Sequence
from xml.etree import ElementTree as ET

from glossa.trials.run import Result


def junit(results: Sequence[Result], seconds: float = 0.0) -> str:
    """The text of a JUnit XML file: a suite for each table, a case for each row, a failure with what was wrong.

    Args:
        results: from :func:`run_table`.
        seconds: how long the run took.
    """
    failed = sum(not r.right for r in results)
    root = ET.Element("testsuites", tests=str(len(results)), failures=str(failed), time=f"{seconds:.3f}")
    suites: dict[str, list[Result]] = {}
    for result in results:
        suites.setdefault(result.row.table, []).append(result)
    for table, rows in suites.items():
        wrong = sum(not r.right for r in rows)
        suite = ET.SubElement(root, "testsuite", name=table, tests=str(len(rows)), failures=str(wrong), errors="0")
        for result in rows:
            name = f"line {result.row.line}: {_clean(result.row.utterance)}"
            case = ET.SubElement(suite, "testcase", classname=f"{table}.{result.row.note or 'rows'}", name=name)
            if not result.right:
                failure = ET.SubElement(case, "failure", message=_clean(result.wrong[0]))
                failure.text = _clean("\n".join(result.wrong))
    ET.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ET.tostring(root, encoding="unicode") + "\n"


def _clean(text: str) -> str:
    """Text without the control characters that XML 1.0 can't hold."""
    return "".join(
        c for c in text if c in "\t\n" or (ord(c) >= 32 and not 0xD800 <= ord(c) <= 0xDFFF and ord(c) not in (0xFFFE, 0xFFFF))
    )
