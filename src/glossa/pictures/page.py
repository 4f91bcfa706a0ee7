"""One self-contained HTML page of a table run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from html import escape

from glossa.house.model import House
from glossa.house.text import many
from glossa.pictures.tables import confusion_figure, png, results_figure, scores_figure
from glossa.trials.coverage import Coverage
from glossa.trials.measures import Measure, by
from glossa.trials.run import Result, shown

STYLE = """
body{font:15px/1.5 system-ui,sans-serif;max-width:70rem;margin:2rem auto;padding:0 1rem;color:#1d2733;background:#fff}
h1{font-size:1.6rem;margin:0}h2{font-size:1.15rem;margin:2rem 0 .5rem}
table{border-collapse:collapse;width:100%;font-size:.9rem}th{text-align:left;color:#667;font-weight:500}
td,th{padding:.25rem .6rem;border-bottom:1px solid #e6e9ee;vertical-align:top}td.n,th.n{text-align:right;font-variant-numeric:tabular-nums}
img{max-width:100%;height:auto}.bad{color:#b03a2e}.good{color:#2c7a4b}.dim{color:#778}code{font-size:.85rem;background:#f4f6f8;padding:.05rem .3rem}
.two{display:grid;grid-template-columns:repeat(auto-fit,minmax(20rem,1fr));gap:2rem}
@media (prefers-color-scheme:dark){body{background:#161b22;color:#dde3ea}td,th{border-color:#2b333d}code{background:#222b35}img{background:#fff;border-radius:6px}}
"""


def page(house: House, results: Sequence[Result], measured: Sequence[Measure], missing: Coverage) -> str:
    """The text of the page: measures, results by note, intent and device, pictures, failed rows, coverage."""
    failed = [r for r in results if not r.right]
    right = len(results) - len(failed)
    parts = [
        f"<!doctype html><html lang='en'><head><meta charset='utf-8'><title>{escape(house.name)}: test results</title>",
        f"<meta name='viewport' content='width=device-width'><style>{STYLE}</style></head><body>",
        f"<h1>{escape(house.name)}</h1><p class='{'bad' if failed else 'good'}'>{right} of {many(len(results), 'row')} right</p>",
        "<h2>Measures</h2><table><tr><th>measure</th><th class='n'>share</th><th class='n'>count</th><th class='n'>95 % interval</th></tr>",
        *(
            f"<tr><td>{escape(m.name)}</td><td class='n'>{m.share:.1%}</td><td class='n'>{m.count:g} of {m.total:g}</td>"
            f"<td class='n dim'>{m.low:.1%} to {m.high:.1%}</td></tr>"
            for m in measured
        ),
        "</table><h2>Results by note</h2>",
        f"<img alt='what became of the rows, by note' src='{png(results_figure(results))}'>",
        "<h2>Scores</h2>",
        f"<img alt='scores of rows to carry out and to leave alone' src='{png(scores_figure(results, house.matching.accept, house.matching.confirm))}'>",
    ]
    if any(r.row.intent for r in results):
        parts.append(
            f"<h2>Intents: expected and got</h2><img alt='confusion matrix of intents' src='{png(confusion_figure(results), 90)}'>"
        )
    parts.append("<div class='two'>" + "".join(_counts(name, by(results, name)) for name in ("intent", "device")) + "</div>")
    parts.append(f"<h2>Rows that failed: {len(failed)}</h2>")
    if failed:
        parts.append("<table><tr><th>row</th><th>heard</th><th>wrong</th><th>got</th></tr>")
        parts += [_failed(r) for r in failed]
        parts.append("</table>")
    parts.append("<h2>What no row exercises</h2>" + _missing(missing) + "</body></html>")
    return "\n".join(parts)


def _counts(name: str, counts: Mapping[str, tuple[int, int]]) -> str:
    rows = "".join(
        f"<tr><td>{escape(key)}</td><td class='n {'bad' if right < count else ''}'>{right} of {count}</td></tr>"
        for key, (right, count) in counts.items()
    )
    return f"<div><h2>By {name}</h2><table><tr><th>{name}</th><th>right</th></tr>{rows}</table></div>"


def _failed(result: Result) -> str:
    row, event = result.row, result.event
    got = ""
    if event is not None:
        slots = " ".join(f"{k}={shown(v)}" for k, v in event.slots.items())
        got = f"{event.outcome} {event.intent or ''} {slots} <span class='dim'>confidence {event.confidence:.2f}, lead {event.lead:.2f} {escape(event.reason)}</span>"
    wrong = "<br>".join(escape(w) for w in result.wrong)
    return f"<tr><td class='dim'>{escape(row.table)}:{row.line}</td><td><b>{escape(row.utterance)}</b></td><td class='bad'>{wrong}</td><td>{got}</td></tr>"


def _missing(missing: Coverage) -> str:
    lists = {
        "intents": missing.intents,
        "phrases": tuple(f"{i}: {p}" for i, p in missing.phrases),
        "devices": missing.devices,
        "values": tuple(f"{p} {v}" for p, v in missing.values),
        "modes": missing.modes,
    }
    shown_lists = [
        f"<li>{name}: {', '.join(f'<code>{escape(x)}</code>' for x in found)}</li>" for name, found in lists.items() if found
    ]
    return f"<ul>{''.join(shown_lists)}</ul>" if shown_lists else "<p class='good'>Everything is exercised.</p>"
