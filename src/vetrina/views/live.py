"""A running service's levels beside the planned ones, changes of them, and what is on record: for people."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

from vetrina.core.base.logger_names import ROOT
from vetrina.core.base.wording import counted
from vetrina.core.services.levels_now import LevelNow, Row, Verdict
from vetrina.core.services.records import Record
from vetrina.core.services.words import Words
from vetrina.views.screen import Column, Line, Span, level_style, safe, span, table, wrapped

_VERDICTS: dict[Verdict, tuple[str, str]] = {
    "same": ("same", "quiet"),
    "differs": ("differs", "bad"),
    "only-service": ("only in the service", "raised"),
    "only-planned": ("only planned", "raised"),
}


def level_lines(rows: Sequence[Row], words: Words, width: int, *, planned: bool) -> list[Line]:
    """Return the loggers as a table, and what they add up to."""
    heads = [Column("logger", least=14), Column("set"), Column("in effect")]
    heads += [Column("planned"), Column("planned by", least=16), Column("")] if planned else []
    setting = {one.logger: one for one in rows if one.now is not None and one.now.set is not None}
    below = {one.logger: _inherits(one, setting, words) for one in rows if one.verdict == "differs"}
    lines = table(heads, [_cells(one, words, below.get(one.logger, ""), planned=planned) for one in rows], width)
    return [*lines, [], *_sum_lines(rows, width, sum(map(bool, below.values())), planned=planned)]


def _inherits(row: Row, setting: Mapping[str, Row], words: Words) -> str:
    """Return the logger that one inherits its level from in the service, nothing where that is as planned, or not known."""
    if row.now is None or not row.now.tells_set or row.now.set is not None:
        return ""
    above = row.logger
    while above and above != ROOT:
        above = above.rpartition(words.separator)[0] or ROOT
        if above in setting:
            return above if setting[above].verdict != "same" else ""
    return ""


def _cells(row: Row, words: Words, below: str, *, planned: bool) -> list[Span]:
    now = row.now
    cells = [
        span(row.logger),
        Span("?", "quiet") if now is not None and not now.tells_set else _level(None if now is None else now.set, words),
        Span("?", "quiet")
        if now is not None and now.in_effect is None
        else _level(None if now is None else now.in_effect, words),
    ]
    if not planned or row.verdict is None or row.planned is None or row.origin is None:
        return cells
    where = row.origin.brief()
    text, style = _VERDICTS[row.verdict]
    return [
        *cells,
        span(words.scale.name(row.planned), level_style(row.planned)),
        span(f"{row.inherited_from}, {where}" if row.inherited_from else where, "quiet" if row.inherited_from else ""),
        span(f"{text}, as {below}", "quiet") if below else Span(text, style),
    ]


def _level(word: str | None, words: Words) -> Span:
    if word is None:
        return Span("·", "quiet")
    severity = words.severity(word)
    return span(f"{word} (?)", "bad") if severity is None else span(words.scale.name(severity), level_style(severity))


def _sum_lines(rows: Sequence[Row], width: int, inherited: int, *, planned: bool) -> list[Line]:
    lines: list[Line] = []
    counts = Counter(one.verdict for one in rows)
    if planned and rows:
        words = [f"{counts[name]} {text}" for name, (text, _) in _VERDICTS.items() if counts[name]]
        words = [one.replace("differs", "differ") if not one.startswith("1 ") else one for one in words]
        words[-1] += f"; {inherited} of those that differ only inherit it" if inherited else ""
        lines += wrapped(", ".join(words) + ".", width)
    strange = sorted({one.unknown_word for one in rows if one.unknown_word})
    if strange:
        text = f"{', '.join(strange[:8])}: no level that is known here; write what it means under levels in the service's file."
        lines += wrapped(safe(text), width, 0, "bad")
    if any(one.now is not None and not one.now.tells_set for one in rows):
        lines += wrapped("?: the service does not tell that.", width, 0, "quiet")
    return lines


def heading(name: str, address: str, plan: str, at: str) -> list[Line]:
    """Return which service was asked, where and when, and beside which plan."""
    beside = f"beside {plan}" if plan else "no plan beside it"
    return [[span(name, "title")], [span(f"{address}, asked {at}, {beside}", "quiet")], []]


def change_lines(before: Mapping[str, LevelNow], wanted: Mapping[str, int], words: Words) -> list[Line]:
    """Return what a call would change."""
    lines: list[Line] = []
    for logger, severity in wanted.items():
        now, word = before[logger], words.word(severity)
        old = now.set if now.set is not None else now.in_effect
        how = "" if now.set is not None else " (inherited)" if now.tells_set else " (in effect)"
        said = f'   sent as "{word}"' if word != words.scale.name(severity) else ""
        lines.append([
            span(f"{logger}: "), span(words.level(old) or "not told"), Span(how, "quiet"), Span(" → "),
            span(words.scale.name(severity), level_style(severity)), span(said, "quiet"),
        ])  # fmt: skip
    return lines


def put_back_lines(
    back: Mapping[str, str], foreign: Mapping[str, str], failed: Mapping[str, str], notes: Mapping[str, str], command: str
) -> list[Line]:
    """Return what was put back, what was not and why, and what to do by hand; ``command`` tries again."""
    lines: list[Line] = [[Span("put back and verified: ", "good"), span(f"{name}: {how}")] for name, how in back.items()]
    lines += [[Span("note: ", "raised"), span(f"{name}: {note}")] for name, note in notes.items()]
    lines += [
        [Span("changed by somebody else, left as it is: ", "raised"), span(f"{name}: {why}")] for name, why in foreign.items()
    ]
    lines += [[Span("NOT put back: ", "bad"), span(f"{name}: {why}")] for name, why in failed.items()]
    if foreign or failed:
        anyway = " --anyway puts back what others changed, too." if foreign else ""
        lines.append([span(f"It stays on record. Try again: {command}{anyway}")])
    return lines


def record_lines(record: Record) -> list[Line]:
    """Return what is on record, the latest change first."""
    if not record.steps:
        return [[Span("nothing is on record: nothing to put back", "quiet")]]
    lines: list[Line] = []
    for step in reversed(record.steps):
        who = f"{step.user} on {step.machine}, process {step.process}, in {step.folder}"
        lines.append([span(f"{step.at}  {step.command}", "title"), span(f"  {who}", "quiet")])
        for one in step.changes:
            before = one.before.set or ("inherited" if one.before.tells_set else f"{one.before.in_effect} in effect")
            lines.append([span(f"  {one.logger}: {before} → {one.after}")])
    return lines


def record_note(record: Record, still: Sequence[str], command: str) -> Line:
    """Return what is said first where something is on record; ``still`` are the loggers that are not as they were before."""
    count = sum(len(one.changes) for one in record.steps)
    last = record.steps[-1]
    names = ", ".join(dict.fromkeys(change.logger for one in record.steps for change in one.changes))
    text = f"{counted(count, 'change')} of this service not put back: {names}"
    if not still:
        text = f"{counted(count, 'change')} of this service: {names}; as before again, which is not verified yet"
    elif len(still) < count:
        text += f" ({', '.join(still)} not as before)"
    text += f"; the last by {last.user} ({last.command}) at {last.at}; "
    text += f"{'put back' if still else 'verified'} by: {command} --put-back"
    return [Span("on record: ", "raised"), span(text)]
