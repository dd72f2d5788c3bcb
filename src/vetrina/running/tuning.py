"""What a call wants to change in a service: levels by the plan's names, and what was there before."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from vetrina.core.base.faults import Fault, Refused, offer, refuse
from vetrina.core.base.logger_names import tree_name
from vetrina.core.services.levels_now import LevelNow
from vetrina.core.services.records import word_back
from vetrina.core.services.words import Words
from vetrina.running.asking import Asked


def wanted_levels(tunes: Sequence[str], words: Words) -> dict[str, int]:
    """Return the levels of `LOGGER=LEVEL` options, by the plan's names; raise Refused with all that is wrong."""
    found: dict[str, int] = {}
    faults = []
    for text in tunes:
        logger, equals, level = text.rpartition("=")
        severity = words.severity(level.strip())
        if not equals or not level.strip():
            faults.append(
                Fault("call", "this is not LOGGER=LEVEL", fix="write --tune ropeway.gate=debug", where=f"--tune {text}")
            )
        elif severity is None:
            fix = words.scale.hint(level.strip()).removeprefix("; ")
            faults.append(Fault("call", f'level "{level.strip()[:60]}" is not known', fix=fix, where=f"--tune {text}"))
        elif tree_name(logger.strip()) in found:
            faults.append(Fault("call", "this logger is tuned twice", fix="leave one out", where=f"--tune {text}"))
        else:
            found[tree_name(logger.strip())] = severity
    if faults:
        raise Refused(faults)
    return found


def levels_before(asked: Asked, wanted: Mapping[str, int], all_: Mapping[str, LevelNow]) -> dict[str, LevelNow]:
    """Return what the service says of loggers that are to be changed; raise Refused where that could not be put back.

    ``all_`` are the levels that the service has told already.
    """
    if not asked.sets:
        raise refuse("this service's file does not say how a level is set", fix="write a set step", where=asked.service.file)
    found: dict[str, LevelNow] = {}
    faults = []
    for logger in wanted:
        now = all_.get(logger) or asked.level(logger)
        if now is None:
            fix = offer(logger, all_, otherwise="its names are those that vetrina live shows")
            faults.append(
                Fault("call", f'the service does not know a logger "{logger[:80]}"', fix=fix, where=f"--tune {logger}")
            )
        elif (why := _not_back(now, asked)) is not None:
            faults.append(Fault("call", f'"{logger[:80]}" could not be put back afterwards', why=why, fix="write a clear step, or where effective stands", where=f"--tune {logger}"))  # fmt: skip
        else:
            found[logger] = now
    if faults:
        raise Refused(faults)
    return found


def _not_back(now: LevelNow, asked: Asked) -> str | None:
    """Return why a logger could not be put back, None where it can."""
    word, _ = word_back(now, clears=asked.clears)
    if word is None and not (now.tells_set and asked.clears):
        return "the service does not tell which level it has"
    return None
