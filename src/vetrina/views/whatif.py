"""Before and after a change: for people, as JSON, and as a note for a ticket."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from vetrina.core.base.levels import Scale
from vetrina.core.base.quantities import show_size, show_span
from vetrina.core.base.wording import counted
from vetrina.core.changes.effects import Delta, Effects, Example, Tally
from vetrina.core.changes.outcome import Kept, Outcome, added_words, any_of, changed_kinds, tally_words, verdict
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.foresight.lessons import Ends
from vetrina.core.foresight.wording import between, between_counted, told_words
from vetrina.core.routing.measuring import ending_of
from vetrina.views.foresight import lesson_lines, mark_words, unheard_lines
from vetrina.views.routes import further_lines
from vetrina.views.screen import Column, Line, Span, level_style, number, shorten, span, table, whole, wrapped

_MOST = 12


def loud(effects: Effects) -> list[tuple[tuple[str, int, str], Delta]]:
    """Return what each logger gains and loses, the loudest gain first."""
    changed = [(key, shift) for key, shift in effects.cells.items() if any_of(shift.gained) or any_of(shift.lost)]
    return sorted(changed, key=lambda one: (-one[1].gained.bytes, -one[1].lost.bytes, one[0]))


def outcome_lines(
    outcomes: Sequence[Outcome],
    shown: Sequence[Sequence[str]],
    before: ResolvedPlan,
    afters: Sequence[ResolvedPlan],
    width: int,
    wanted: str,
) -> list[Line]:
    """Return the verdict on the first candidate and all that stands behind it; several candidates begin with their table."""
    lines: list[Line] = []
    wide = whole(width)
    if len(outcomes) > 1 or shown:
        lines += [*_candidates(outcomes, shown, width, wanted), []]
    first, after = outcomes[0], afters[0]
    heading = f"{'1: ' if len(outcomes) > 1 else ''}{' '.join(first.words)}"
    lines += [*wrapped(safe_words(heading), width, 2, "title")]
    foreseen = first.effects.foreseen
    if foreseen is not None:
        lines += wrapped(
            safe_words(told_words(foreseen.lessons, before.plan.scale)), width, 2, "raised" if foreseen.lessons.weak else ""
        )
    for sentence in verdict(first, tabled=True):
        lines += wrapped(sentence, width, 2)
    lines += unheard_lines(first.unheard, before.plan.scale, width, learned=foreseen is not None)
    if foreseen is not None:
        lines += lesson_lines(foreseen.lessons, foreseen.totals, before.plan.scale, width, wide=wide)
    lines += _kinds(first, width)
    lines += _sinks(first, width)
    lines += _loggers(first, before.plan.scale, width, wide=wide)
    lines += _days(first.effects, width, wide=wide)
    lines += _files(first, width)
    lines += _new_lines(first.effects, after, width, wide=wide)
    lines += _notes(first, before.plan.scale, width, wide=wide)
    return lines


def _kinds(outcome: Outcome, width: int) -> list[Line]:
    """Return what each kind of sink gets more or less in a day, where several do."""
    kinds = changed_kinds(outcome)
    if len(kinds) < 2:
        return []
    rows = [[span("files" if kind == "file" else kind), span(added_words(outcome, kind))] for kind in kinds]
    return [[], [Span("In a day, by kind of sink", "title")], *table([Column("sinks"), Column("bytes")], rows, width, 2)]


def safe_words(text: str) -> str:
    """Return a text of the user's made harmless."""
    return span(text).text


def _candidates(outcomes: Sequence[Outcome], shown: Sequence[Sequence[str]], width: int, wanted: str) -> list[Line]:
    heads = [
        Column(""),
        Column("candidate", least=24),
        Column("gained", right=True),
        Column("lost", right=True),
        Column("a day, in files", right=True),
        Column("apart", least=12),
    ]
    if shown:
        heads.append(Column("shows it in", least=10))
    good = [at for at, arrivals in enumerate(shown) if arrivals]
    cheapest = min(good, key=lambda at: (_all_a_day(outcomes[at]), at)) if good else None
    rows = []
    for at, one in enumerate(outcomes):
        row = [
            span(str(at + 1), "quiet"),
            span(" ".join(one.words)),
            span(_in_all(one, "gained")),
            span(_in_all(one, "lost")),
            span(signed_size(one.added_a_day["file"], one)),
            span(
                ", ".join(f"{kind} {signed_size(more, one, kind)}" for kind, more in one.added_a_day.items() if kind != "file")
                or "·"
            ),
        ]
        if shown:
            row.append(span(", ".join(shown[at]) or "nothing", "good" if shown[at] else "bad"))
        rows.append(row)
    lines: list[Line] = [[Span("Candidates", "title")], *table(heads, rows, width, 2)]
    if shown:
        text = f"cheapest that shows {wanted}: {cheapest + 1}" if cheapest is not None else f"no candidate shows {wanted}"
        lines.append([span(f"  {text}", "good" if cheapest is not None else "bad")])
    return lines


def _in_all(one: Outcome, part: str) -> str:
    ends = getattr(one.effects.foreseen, part, None)
    return (
        number(sum(getattr(shift, part).events for shift in one.effects.appenders.values())) if ends is None else between(ends)
    )


def _all_a_day(one: Outcome) -> int:
    return sum(more or 0 for more in one.added_a_day.values())


def signed_size(count: int | None, one: Outcome, kind: str = "file") -> str:
    """Return a difference of bytes in a day with its sign; extrapolated ones and those of streams are marked."""
    if count is None:
        return "not known"
    ends = one.added_ends(kind)
    if ends is not None:
        low, high = (f"{'+' if end > 0 else '-' if end < 0 else '±'}{show_size(abs(end))}" for end in ends)
        return f"~{low}" if low == high else f"~{low} to {high}"
    mark = "~" if one.effects.streamed or (count and not one.effects.pace.days) else ""
    return f"{mark}{'+' if count > 0 else '-' if count < 0 else '±'}{show_size(abs(count))}"


def day_size(count: int | None, effects: Effects, tally: Tally, ends: Ends | None = None) -> str:
    """Return bytes in a day, marked where they are extrapolated or hold added streams, as a range where they are estimated."""
    if count is None:
        return "not known"
    if ends is not None:
        return between(ends, show_size)
    return ("~" if count and (tally.estimated or not effects.pace.days) else "") + show_size(count)


def count_of(tally: Tally, sign: str = "") -> str:
    """Return how many events, marked where added streams are in it, as a range where they are estimated."""
    return tally_words(tally, sign)


def _size_of(tally: Tally) -> str:
    if tally.bytes_ends is not None:
        return between(tally.bytes_ends, show_size)
    return ("~" if tally.estimated else "") + show_size(tally.bytes)


def _sinks(outcome: Outcome, width: int) -> list[Line]:
    effects = outcome.effects
    heads = [
        Column("appender", least=10), Column("events before", right=True), Column("after", right=True), Column("gained", right=True),
        Column("lost", right=True), Column("bytes a day before", right=True), Column("a day after", right=True),
    ]  # fmt: skip
    if width < 90 and not whole(width):
        heads[1], heads[5], heads[6] = Column("before", right=True), Column("a day", right=True), Column("after", right=True)
    rows = []
    for name, shift in effects.appenders.items():
        style = "" if shift.changes else "quiet"
        before, after = effects.a_day(name)
        ends = effects.foreseen.days.get(name, (None, None)) if effects.foreseen is not None else (None, None)
        rows.append([
            span(name, style),
            span(count_of(shift.before), style),
            span(count_of(shift.after), style),
            span(count_of(shift.gained, "+") if any_of(shift.gained) else "·", "raised" if any_of(shift.gained) else "quiet"),
            span(count_of(shift.lost, "-") if any_of(shift.lost) else "·", "bad" if any_of(shift.lost) else "quiet"),
            span(day_size(before, effects, shift.before, ends[0]), style),
            span(day_size(after, effects, shift.after, ends[1]), style),
        ])  # fmt: skip
    recorded = counted(effects.events - effects.unrecorded, "event")
    title = f"Before and after, over {show_span(effects.span)} and {recorded}"
    lines: list[Line] = [[], [Span(title, "title")], *table(heads, rows, width, 2)]
    words = f"a day: {effects.pace.words()}" + ("; ~ is extrapolated" if effects.pace.extrapolated else "")
    if effects.streamed:
        words += f"; ~ holds {counted(effects.streamed, 'event')} of added streams (--rate), which nobody recorded"
    if effects.foreseen is not None and effects.foreseen.lessons.kinds:
        words += f"; {mark_words(effects.foreseen.lessons, effects.foreseen.draws, played=effects.foreseen.played)}"
    return [*lines, *wrapped(f"  {words}", width, 2, "quiet")]


def _loggers(outcome: Outcome, scale: Scale, width: int, *, wide: bool) -> list[Line]:
    changed = loud(outcome.effects)
    if not changed:
        return []
    heads = [
        Column("logger", least=16), Column("level"), Column("appender", least=10), Column("gained", right=True),
        Column("bytes", right=True), Column("lost", right=True),
    ]  # fmt: skip
    rows = [
        [
            span(logger),
            span(scale.name(severity), level_style(severity)),
            span(name),
            span(count_of(shift.gained, "+") if any_of(shift.gained) else "·"),
            span(_size_of(shift.gained) if any_of(shift.gained) else "·"),
            span(count_of(shift.lost, "-") if any_of(shift.lost) else "·", "bad" if any_of(shift.lost) else "quiet"),
        ]
        for (logger, severity, name), shift in (changed if wide else changed[:_MOST])
    ]
    lines: list[Line] = [[], [Span("Whose messages, the loudest first", "title")], *table(heads, rows, width, 2)]
    if len(changed) > _MOST and not wide:
        lines.append([Span(f"  … and {counted(len(changed) - _MOST, 'line')} more (--wide, --json)", "quiet")])
    return [*lines, *further_lines(outcome.effects.further, width)]


def _days(effects: Effects, width: int, *, wide: bool) -> list[Line]:
    """Return the bytes of each day in tables of so many appenders as fit; parts of a day are marked."""
    names = [name for name, shift in effects.appenders.items() if shift.changes]
    days = sorted({day for day, _ in effects.days})
    if len(days) < 2 or not names:
        return []
    room = len(names) if wide else max(1, (width - 18) // 22)
    shown = days if wide or len(days) <= _MOST_DAYS else days[-_MOST_DAYS:]
    lines: list[Line] = [[], [Span("Bytes day by day, before > after", "title")]]
    for begun in range(0, len(names), room):
        part = names[begun : begun + room]
        heads = [Column("day"), *(Column(name, right=True) for name in part)]
        rows = [
            [
                span(f"{day:%a %Y-%m-%d}{'' if day in effects.pace.days else ' part'}"),
                *(_day_cell(effects, day, name) for name in part),
            ]
            for day in shown
        ]
        lines += [*([[]] if begun else []), *table(heads, rows, width, 2)]
    if len(shown) < len(days):
        lines.append([Span(f"  … {counted(len(days) - len(shown), 'day')} before these (--wide, --json)", "quiet")])
    return lines


_MOST_DAYS = 31


def _day_cell(effects: Effects, day: date, name: str) -> Span:
    shift = effects.days.get((day, name), Delta())
    before, after = _size_of(shift.before), _size_of(shift.after)
    same = shift.before.bytes == shift.after.bytes
    return span(after if same else f"{before} > {after}", "quiet" if same else "")


def _files(outcome: Outcome, width: int) -> list[Line]:
    if not outcome.rolled:
        return []
    heads = [Column("file of", least=10), Column("files"), Column("disk at most"), Column("history left", least=30)]
    rows = []
    for one in outcome.rolled:
        was, now = one.before, one.after
        if was is None or now is None:
            rows.append([span(one.appender), span("rolls only " + ("before" if was else "after")), span(""), span("")])
            continue
        shrinks = now.limited and now.history < was.history
        rows.append([
            span(one.appender),
            span(f"{_files_of(was)} > {_files_of(now)}"),
            span(f"{_peak_of(was)} > {_peak_of(now)}"),
            span(_history(was, now), "bad" if shrinks else ""),
        ])  # fmt: skip
    lines: list[Line] = [[], [Span("Files that roll, before > after", "title")], *table(heads, rows, width, 2)]
    if any(one.after is not None and one.after.bounded and not one.after.limited for one in outcome.rolled):
        text = "not yet limited: no limit acts within the recording, so what history is left it cannot tell; --repeat 10 plays it on"
        lines += wrapped(f"  {text}", width, 2, "quiet")
    return lines


def _files_of(one: Kept) -> str:
    return number(one.files) if one.foreseen is None else between(one.foreseen.files)


def _peak_of(one: Kept) -> str:
    return show_size(one.peak) if one.foreseen is None else between(one.foreseen.peak, show_size)


def _history(was: Kept, now: Kept) -> str:
    if was.limited or now.limited or was.bounded != now.bounded:
        return f"{was.words()} > {now.words()}"
    return now.words() if was.words() == now.words() else f"{was.words()} > {now.words()}"


def _new_lines(effects: Effects, after: ResolvedPlan, width: int, *, wide: bool) -> list[Line]:
    lines: list[Line] = []
    for name, examples in effects.examples.items():
        kinds: dict[int, tuple[Example, list[str]]] = {}
        for word, example in (("first", examples.first), ("typical", examples.typical()), ("longest", examples.longest)):
            if example is not None:
                kinds.setdefault(example.number, (example, []))[1].append(word)
        for one, words in kinds.values():
            head = f"  {name} ({', '.join(words)}, {counted(one.size, 'byte')})  "
            lines.append([span(head, "quiet")])
            text = rendered(after, name, one).split("\n")
            lines += [
                [Span("    "), span(line if wide else shorten(span(line).text, width - 4))]
                for line in (text if wide else text[:4])
            ]
            if len(text) > 4 and not wide:
                lines.append([Span(f"    … {counted(len(text) - 4, 'line')} more (--wide)", "quiet")])
    for name, one in effects.foreseen.examples.items() if effects.foreseen is not None else ():
        source = effects.foreseen.lessons.source if effects.foreseen is not None else ""
        lines.append([span(f"  {name} (as {source} has it, {counted(one.size, 'byte')})  ", "quiet")])
        text = rendered(after, name, one).split("\n")
        lines += [[Span("    "), span(line if wide else shorten(span(line).text, width - 4))] for line in text]
    return [[], [Span("New lines, as they will look", "title")], *lines] if lines else []


def rendered(found: ResolvedPlan, appender: str, one: Example) -> str:
    """Return the text that an appender writes for an example, without what ends it."""
    template = found.plan.appenders[appender].template
    ending = ending_of(found.plan.appenders[appender])
    return template.compile(ending)(one.event, one.number).removesuffix(ending)


def _turned(effects: Effects, key: tuple[str, int] | tuple[str, str], count: int) -> str:
    ends = effects.foreseen.turned.get(key) if effects.foreseen is not None else None
    return counted(count, "event") if ends is None else between_counted(ends, "event")


def _notes(outcome: Outcome, scale: Scale, width: int, *, wide: bool) -> list[Line]:
    effects = outcome.effects
    notes = [
        f"twice from now on: {logger} at {place}, {_turned(effects, (logger, place), count)}"
        for (logger, place), count in effects.twice.items()
    ]
    notes += [
        f"silent from now on: {logger} at {scale.name(severity)}, {_turned(effects, (logger, severity), count)}"
        for (logger, severity), count in effects.silenced.items()
    ]
    notes += [f"check finds it new: {one.code}: {one.message}" for one in outcome.appeared]
    notes += [f"check finds it no more: {one.code}: {one.message}" for one in outcome.vanished]
    if not notes:
        return []
    more = 0 if wide else len(notes) - _MOST
    lines: list[Line] = [[], [Span("Worth a look", "title")]]
    for one in notes if wide else notes[:_MOST]:
        lines += [[Span("  - " if not at else "    "), *part] for at, part in enumerate(wrapped(safe_words(one), width - 4))]
    return [*lines, [Span(f"  … and {more} more (--wide, --json)", "quiet")]] if more > 0 else lines
