"""A document read through a mapping: the plan that it amounts to, what each part became, what is left over."""

from __future__ import annotations

from collections.abc import Sequence

from vetrina.core.base.faults import Fault
from vetrina.core.base.wording import counted
from vetrina.core.config.dump import Entries
from vetrina.core.documents.adopted import Adoption
from vetrina.core.documents.explaining import Became, explain
from vetrina.core.documents.tree import Part
from vetrina.views.faults import fault_lines
from vetrina.views.resolve import resolve_lines
from vetrina.views.screen import Column, Line, Span, span, table

_STYLES = {"left over": "bad", "ignored": "quiet", "compared": "quiet"}


def plan_lines(body: Entries) -> list[Line]:
    """Return the plan as YAML, each value with its place as a remark."""
    return resolve_lines(body, origins=True)


def remark_lines(adoption: Adoption, untold: Sequence[Fault]) -> list[Line]:
    """Return what is told beside the plan: what is left over, keys given twice, items that take nothing."""
    left = [one for one in adoption.remarks if one.code == "left-over"]
    others = [one for one in adoption.remarks if one.code != "left-over"]
    lines = fault_lines([*others, *untold], "warning", "raised", None)
    lines += [
        [
            span(str(part.place), "place"),
            Span(": "),
            Span("left over: ", "raised"),
            span(_what(part)),
            span(f"  {part.path}", "quiet"),
        ]
        for part in adoption.left_over
    ]
    if left:
        words = f"what is left over has no part in the plan: read it in {adoption.mapping.name}, or list its path under ignore:"
        lines.append([Span("  fix: ", "quiet"), span(words)])
    words = f"{counted(adoption.read, 'value')} read from {adoption.documents[0].source.name}"
    words += f"; {counted(len(left), 'part')} left over" if left else "; nothing is left over"
    return [*lines, [span(words)]]


def _what(part: Part) -> str:
    """Return what a part is, with its name."""
    if part.kind in {"element", "attribute"}:
        return f"{part.kind} {part.label}"
    return "a text" if part.kind == "text" else f'"{part.name}"' if part.name is not None else "an item"


def explain_lines(adoption: Adoption, width: int) -> list[Line]:
    """Return the documents part by part, each beside what it became."""
    lines: list[Line] = []
    told = list(explain(adoption))
    for document in adoption.documents:
        rows = [_row(one) for one in told if one.part.document is document]
        lines += [[span(document.source.name, "title"), span(f", read through {adoption.mapping.name}", "quiet")], []]
        lines += table(
            [Column("at"), Column("part", least=12), Column("says", least=16), Column("in the plan", least=24)], rows, width
        )
        lines.append([])
    return lines


def _row(one: Became) -> list[Span]:
    place = one.part.place
    says = (
        "" if one.part.kind in {"element", "object", "array"} and not _valued(one) else " ".join(one.part.source_text().split())
    )
    plan = "; ".join(_told(path, value) for path, value in zip(one.became, one.values, strict=True)) or one.fate
    return [
        span(f"{place.line}:{place.column}", "place"),
        span(_short(one.part)),
        span(one.part.string().strip() if _valued(one) else says, _STYLES.get(one.fate, "")),
        span(plan, _STYLES.get(one.fate, "")),
    ]


def _valued(one: Became) -> bool:
    """Tell whether a part was taken for its value, not as an entry alone."""
    return any(value is not None for value in one.values)


def _told(path: str, value: str | None) -> str:
    return (
        path
        if value is None or path.startswith("the name of")
        else f"{path}: {value!r}"
        if not value.isprintable()
        else f"{path}: {value}"
    )


def _short(part: Part) -> str:
    """Return a part's name with that of what holds it."""
    own = f"@{part.label}" if part.kind == "attribute" else "text" if part.kind == "text" else part.label or (part.name or "")
    own = own or "an item"
    if part.document.shape != "elements":
        own = part.name if part.name is not None else "an item"
    above = part.parent
    if above is None or above.kind == "document":
        return own
    holder = above.label if part.document.shape == "elements" else above.name
    return f"{holder}{'/' if part.document.shape == 'elements' else '.'}{own}" if holder else own
