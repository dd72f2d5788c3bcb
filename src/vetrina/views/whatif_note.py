"""A change note in Markdown, for a ticket: nothing in it that comes from a plan or an event is live."""

from __future__ import annotations

import re
from collections.abc import Sequence

from vetrina.core.base.wording import counted
from vetrina.core.changes.outcome import Outcome, verdict
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.foresight.wording import told_words
from vetrina.views.foresight import mark_words, unheard_alone, unheard_below
from vetrina.views.screen import span
from vetrina.views.whatif import count_of, day_size, rendered

_MARKS = re.compile(r"([\\`*_\[\]|~#!]|(?<!\w)[+-](?= )|(?<=\d)\.(?= ))")


def note(
    outcomes: Sequence[Outcome],
    shown: Sequence[Sequence[str]],
    before: ResolvedPlan,
    afters: Sequence[ResolvedPlan],
    plan: str,
    wanted: str,
) -> str:
    """Return a change note in Markdown: what to change, what it will show, what it costs, how to put it back."""
    at = next((at for at, arrivals in enumerate(shown) if arrivals), 0)
    one, after = outcomes[at], afters[at]
    effects = one.effects
    shows, costs, risks = verdict(one)
    text = [
        f"# Change of {plain(plan)}: {plain(' '.join(one.words))}",
        "",
        *([plain(told_words(effects.foreseen.lessons, before.plan.scale))] if effects.foreseen else []),
        plain(shows),
        plain(costs),
        plain(risks),
        "",
        "## What to change",
        "",
        *fenced(one.lines, "diff"),
        "",
    ]
    text += ["## What it will show", ""]
    if shown:
        text += [f"{plain(wanted)} arrives in {plain(', '.join(shown[at])) or 'nothing'}.", ""]
    for name, examples in effects.examples.items():
        typical = examples.typical()
        if typical is not None:
            lines = rendered(after, name, typical).split("\n")
            text += [f"{plain(name)}, {counted(examples.count(), 'new line')} such as", "", *fenced(lines), ""]
    text += _costs(one)
    scale, learned = before.plan.scale, effects.foreseen is not None
    text += [
        f"\n{words[0].upper()}{plain(words[1:])}: what the change would add there is not in the counts above, and cannot be told."
        for words in (*unheard_below(one.unheard, scale, learned=learned), *unheard_alone(one.unheard, scale, learned=learned))
    ]
    text += ["", "## How to put it back", ""]
    if all(word.startswith(("--tune", "--set")) for word in one.words):
        text += [f"Applied with vetrina apply {plain(plan)}, it is taken back with vetrina undo {plain(plan)}. By hand:", ""]
    text += [*fenced(one.back, "diff"), ""]
    return "\n".join(text)


def _costs(one: Outcome) -> list[str]:
    """Return the section of a note on what a change costs."""
    effects = one.effects
    text = []
    for name, shift in effects.appenders.items():
        if shift.gained.events_ends is not None:
            text += [f"{plain(name)}, {plain(count_of(shift.gained))} new lines, of which a part is estimated.", ""]
        elif shift.gained.estimated and name not in effects.examples:
            text += [
                f"{plain(name)}, ~{counted(shift.gained.events, 'new line')} of added streams (--rate), of which none is recorded.",
                "",
            ]
    text += [
        "## What it costs",
        "",
        "| appender | events before | after | bytes a day before | after |",
        "|---|---|---|---|---|",
    ]
    for name, shift in effects.appenders.items():
        if shift.changes:
            before, after = effects.a_day(name)
            ends = effects.foreseen.days.get(name, (None, None)) if effects.foreseen else (None, None)
            sizes = day_size(before, effects, shift.before, ends[0]), day_size(after, effects, shift.after, ends[1])
            text.append(f"| {plain(name)} | {count_of(shift.before)} | {count_of(shift.after)} | {sizes[0]} | {sizes[1]} |")
    streams = f"; ~ holds {counted(effects.streamed, 'event')} of added streams" if effects.streamed else ""
    text += ["", f"A day: {effects.pace.words()}{streams}."]
    if effects.foreseen is not None and effects.foreseen.totals:
        foreseen = effects.foreseen
        text += ["", plain(f"{mark_words(foreseen.lessons, foreseen.draws, played=foreseen.played)}.")]
        text += [
            plain(f"Learned of {one.lesson.logger}: {counted(one.lesson.events, 'event')} in {counted(one.lesson.hours, 'hour')}, set against {one.lesson.there} "
                  f"seen events of {one.lesson.base}; here {one.low} to {one.high}{', weak' if one.lesson.weak else ''}.")
            for one in foreseen.totals
        ]  # fmt: skip
    for rolled in one.rolled:
        if rolled.before and rolled.after:
            text += ["", f"{plain(rolled.appender)}: history {rolled.before.words()} before, {rolled.after.words()} after."]
    return text


def plain(text: str) -> str:
    """Return a text as Markdown that shows it as it is: no emphasis, no link, no HTML."""
    safe = span(text).text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    return _MARKS.sub(r"\\\1", safe)


def fenced(lines: Sequence[str], language: str = "") -> list[str]:
    """Return lines as a block of code that nothing in them can leave."""
    shown = [span(line).text for line in lines]
    longest = max((len(run) for line in shown for run in re.findall("`+", line)), default=0)
    fence = "`" * max(3, longest + 1)
    return [f"{fence}{language}", *shown, fence]
