"""The plan's own table: every key that a plan may hold, its kind, its meaning, its default."""

from __future__ import annotations

from msgspec.structs import force_setattr

from vetrina.core.base.events import LONGEST_LOGGER
from vetrina.core.base.faults import nearest
from vetrina.core.base.logger_names import tree_name
from vetrina.core.config import sections
from vetrina.core.config.placeholders import NAME
from vetrina.core.config.plan_kinds import MEMBER, DrainKind, FieldTest, FullKind, LevelNumber, same_fault
from vetrina.core.schema.containers import Key, ListOf, MapOf, Record
from vetrina.core.schema.kinds import (
    Anything,
    Choice,
    DurationKind,
    Flag,
    LevelKind,
    RangeKind,
    SizeKind,
    Text,
    Whole,
)
from vetrina.core.sink_kinds import KINDS

MOST_LOGGERS = 25_000
VERSION = 1


force_setattr(MEMBER, "value", MEMBER)


def _zone_fault(name: str) -> str:
    from zoneinfo import ZoneInfo, available_timezones  # noqa: PLC0415  (start-up: most calls need no zone)

    try:
        ZoneInfo(name)
    except (KeyError, ValueError, OSError):
        close = nearest(name, available_timezones())
        return f'zone "{name[:60]}" is not in the IANA time zone database' + (f"; did you mean {close[0]}?" if close else "")
    return ""


def _separator_fault(text: str) -> str:
    return "must not be empty: it stands between the segments of a logger's name" if not text else ""


def _logger_name_fault(name: str) -> str:
    return (
        f"a logger's name may have {LONGEST_LOGGER:,} characters; this has {len(name):,}" if len(name) > LONGEST_LOGGER else ""
    )


def _value_name_fault(name: str) -> str:
    return "" if NAME.match(name) else f'"{name[:60]}" cannot be asked for as ${{…}}: use letters, digits and "_"'


CONDITION = Record(
    name="a condition",
    into=sections.ConditionKeys,
    keys={
        "logger": Key(ListOf(Text(), single=True), "these loggers and all below them", example="[ropeway.gate, ropeway.fare]"),
        "exactly": Key(ListOf(Text(), single=True), "these loggers alone", example="ropeway"),
        "level": Key(RangeKind(), "a range of levels: warn.., ..info, debug..warn, or one level", example="warn.."),
        "message": Key(
            Text(), "an RE2 expression, searched in the message with its holes filled", example="'(?i)emergency stop'"
        ),
        "field": Key(
            MapOf(FieldTest()), "fields by name, and what is asked of each", example="{line: upper, speed: {at-least: 6}}"
        ),
        "error": Key(Flag(), "whether the event carries an error", example="true"),
        "channel": Key(
            ListOf(Text(empty=False), single=True),
            "the channels that it came by; none holds for the configuration's own loggers",
            example="access",
        ),
    },
)
CONDITION.keys["not"] = Key(CONDITION, "holds where this condition does not", example="{level: ..info}")
CONDITION.keys["any"] = Key(
    ListOf(CONDITION, least=1), "holds where one of these does", example="[{logger: ropeway.drive}, {error: true}]"
)
VERDICTS = ("drop", "keep", "lift")
RULE = Record(
    name="a rule",
    into=sections.RuleKeys,
    empties=True,
    keys={
        "drop": Key(CONDITION, "stop the events for which this holds", example="{message: heartbeat}"),
        "keep": Key(CONDITION, "let them pass; later rules are not asked", example="{field: {gate: 4}}"),
        "lift": Key(
            CONDITION, "at the door only: let them pass, whatever their logger's level", example="{field: {badge: 4711}}"
        ),
        "note": Key(Text(), "a remark for readers", example="the heartbeat is counted elsewhere"),
    },
)
RULES = ListOf(RULE, wants="a list of rules")
WAIVERS = ListOf(
    Record(
        name="a waiver",
        into=sections.WaiverKeys,
        keys={
            "check": Key(Text(), "the code of the check", required=True, example="twice"),
            "why": Key(Text(empty=False), "why the finding is all right here", required=True, example="both desks want it"),
        },
    ),
    wants="a list of waivers",
)
NOTE = Key(Text(), "a remark for readers", example="asked for by the night shift")
ATTACHMENT = Record(
    name="an attachment",
    into=sections.AttachmentKeys,
    keys={
        "appender": Key(Text(empty=False, wants="an appender's name"), "the appender", required=True, example="daybook"),
        "floor": Key(LevelKind(), "lowest level that this attachment lets through", example="info"),
        "ceiling": Key(LevelKind(), "highest level that this attachment lets through", example="warn"),
        "rules": Key(
            RULES, "asked for this attachment only; the first that matches decides", example="[{drop: {message: heartbeat}}]"
        ),
        "note": NOTE,
    },
    short="appender",
)
LOGGER = Record(
    name="a logger",
    into=sections.LoggerKeys,
    keys={
        "level": Key(LevelKind(), "lowest level that passes; inherited where not given", example="debug"),
        "to": Key(
            ListOf(ATTACHMENT, single=True, removed_by="appender"),
            "the appenders attached here",
            example="[daybook, {appender: desk, floor: warn}]",
        ),
        "climb": Key(Flag(), "whether events go on to the ancestors' appenders", "true", example="false"),
        "enabled": Key(Flag(), "false: as if this entry were not there", "true", example="false"),
        "note": NOTE,
        "waive": Key(WAIVERS, "checks that are silent here", example="[{check: twice, why: both desks want it}]"),
    },
    short="level",
)
SAME = Key(
    ListOf(Text(allow=same_fault), single=True),
    "what events that count together are alike in: logger, level, message, text, thread, channel, field NAME; without it all do",
    example="[logger, text]",
)
LIMIT = Record(
    name="a limit",
    into=sections.LimitKeys,
    keys={
        "events": Key(Whole(low=1, high=10_000_000), "at most so many pass", required=True, example="5"),
        "per": Key(DurationKind(), "within this time", required=True, example="1 minute"),
        "same": SAME,
    },
)
RECALL = Record(
    name="a recall",
    into=sections.RecallKeys,
    keys={
        "events": Key(Whole(low=1, high=10_000_000), "the last so many are remembered", required=True, example="200"),
        "below": Key(LevelKind(), "events below this level are remembered, not written", required=True, example="warn"),
        "at": Key(LevelKind(), "one at or above this level has them written before it", required=True, example="error"),
        "same": SAME,
    },
)
QUEUE = Record(
    name="a queue",
    into=sections.QueueKeys,
    keys={
        "events": Key(Whole(low=1, high=10_000_000), "at most so many stand in line", required=True, example="1000"),
        "drains": Key(DrainKind(), "how many the sink takes: N/second, N/minute or N/hour", required=True, example="50/second"),
        "full": Key(
            FullKind(),
            "while the line is full: wait holds the application, drop, or drop-below LEVEL",
            "wait",
            example="drop-below warn",
        ),
    },
)
BUFFER = Record(
    name="a buffer",
    into=sections.BufferKeys,
    keys={
        "events": Key(Whole(low=1, high=10_000_000), "deliver when so many are waiting", example="50"),
        "age": Key(DurationKind(), "deliver when one arrives so much later than the oldest waiting", example="5 minutes"),
        "at-once": Key(LevelKind(threshold=False), "an event at or above this level empties the buffer", example="error"),
    },
)
ROLL = Record(
    name="roll",
    into=sections.RollKeys,
    keys={
        "every": Key(Text(empty=False), "minute, hour, day, week, month, year, N minutes, N hours or N days", example="day"),
        "at": Key(
            Text(pattern="^[0-2][0-9]:[0-5][0-9]|\\$\\{"),
            "wall-clock time of the boundary, of day and longer; midnight unless given",
            example="'06:00'",
        ),
        "at-size": Key(SizeKind(), "roll when the file reaches this size", example="10 MiB"),
        "size-check": Key(Choice(words=("before", "after")), "whether a write may exceed the size", "before", example="before"),
        "each-start": Key(Flag(), "true: roll at each start of the process", "false", example="true"),
        "rename-to": Key(
            Text(empty=False, wants="a path", braced=True),
            "name of a rolled file, with {period} and {n}",
            example="logs/daybook-{period|%Y-%m-%d}.{n}.log",
        ),
        "newest": Key(Choice(words=("highest", "first")), "which number the newest file bears", "highest", example="highest"),
        "keep": Key(
            Record(
                name="keep",
                into=sections.KeepKeys,
                keys={
                    "files": Key(Whole(low=0, high=10_000_000), "at most so many closed files", example="14"),
                    "age": Key(DurationKind(), "closed files older than this are removed", example="30 days"),
                    "disk": Key(SizeKind(), "at most so many bytes in closed files", example="2 GiB"),
                },
            ),
            "what is kept of the closed files",
            example="{files: 14, disk: 2 GiB}",
        ),
    },
)
TEMPLATE_FORMS = ("text", "json", "csv", "syslog")
FACILITIES = (
    "kern", "user", "mail", "daemon", "auth", "syslog", "lpr", "news", "uucp", "cron", "authpriv", "ftp", "ntp", "audit",
    "alert", "clock", "local0", "local1", "local2", "local3", "local4", "local5", "local6", "local7",
)  # fmt: skip
TEMPLATE = Record(
    name="a template",
    into=sections.TemplateKeys,
    keys={
        "as": Key(Choice(words=TEMPLATE_FORMS), "the form", required=True, example="json"),
        "text": Key(
            Text(braced=True),
            "the text, for as: text and as: syslog",
            example="'{time} {level|upper|pad 5} {logger} {message}'",
        ),
        "members": Key(
            MEMBER,
            "for as: json: name to text, {raw: SOURCE} or members within",
            example="{at: '{time}', severity: {raw: severity}}",
        ),
        "omit-empty": Key(Flag(), "for as: json: leave empty texts and nulls out", "false", example="true"),
        "columns": Key(MapOf(Text(braced=True)), "for as: csv: column to text", example="{at: '{time}', what: '{message}'}"),
        "header": Key(Flag(), "for as: csv: begin with the columns' names", "false", example="true"),
        "facility": Key(Choice(words=FACILITIES), "for as: syslog", "user", example="local4"),
        "app": Key(Text(), "for as: syslog: the application's name", example="ropeway"),
        "sd-id": Key(Text(), "for as: syslog: the name of the structured data", "fields@32473", example="fields@32473"),
        "ending": Key(Text(), "what follows every event: a newline unless given (CR LF for csv)", example='"\\n"'),
        "waive": Key(WAIVERS, "checks that are silent here", example="[{check: twice, why: both desks want it}]"),
    },
    short="text",
    form_key="as",
    implied=(("as", "text"),),
)
COMMON = {
    "sink": Key(Choice(words=tuple(KINDS)), "the kind of sink", required=True, example="file"),
    "enabled": Key(Flag(), "false: nothing passes", "true", example="false"),
    "floor": Key(LevelKind(), "lowest level that passes", example="info"),
    "ceiling": Key(LevelKind(), "highest level that passes", example="warn"),
    "rules": Key(RULES, "the first that matches decides", example="[{drop: {message: heartbeat}}]"),
    "otherwise": Key(Choice(words=("keep", "drop")), "what happens to an event that no rule matches", "keep", example="drop"),
    "template": Key(
        Text(empty=False, wants="a template's name or a text", braced=True),
        "a template's name, or a text with a {",
        example="'{time} {message}'",
    ),
    "limit": Key(LIMIT, "at most so many events within a time", example="{events: 5, per: 1 minute, same: [logger, text]}"),
    "recall": Key(
        RECALL, "the last so many events before an error", example="{events: 200, below: warn, at: error, same: [thread]}"
    ),
    "queue": Key(QUEUE, "a line of events before a slow sink", example="{events: 1000, drains: 50/second, full: wait}"),
    "buffer": Key(BUFFER, "when events are delivered", example="{events: 20, age: 5 minutes}"),
    "note": NOTE,
    "waive": Key(WAIVERS, "checks that are silent here", example="[{check: twice, why: both desks want it}]"),
}


def _appender() -> Record:
    keys = {"sink": COMMON["sink"]}
    for kind in KINDS.values():
        for name, key in kind.keys.items():
            keys.setdefault(name, Key(key.kind, f"{kind.name}: {key.doc}", key.default, example=key.example))
    keys["roll"] = Key(
        ROLL,
        "file: when a new file begins, and what is kept",
        example="{every: day, rename-to: 'a-{period|%Y-%m-%d}.log', keep: {files: 14}}",
    )
    return Record(name="an appender", into=sections.AppenderKeys, keys=keys | COMMON)


APPENDER = _appender()
LEVEL_NAMES = MapOf(LevelNumber())
PLAN_KEYS = {
    "vetrina": Key(Anything(), "version of the plan format", example="1"),
    "$schema": Key(Text(), "for editors: where the schema of plans is", example="plan.schema.json"),
    "title": Key(Text(), "what this plan is for", example="Sereno ropeway, live"),
    "separator": Key(Text(allow=_separator_fault), "between the segments of a logger's name", ".", example="."),
    "zone": Key(Text(allow=_zone_fault), "IANA time zone of template times and rolling", "UTC", example="Europe/Zurich"),
    "workdir": Key(
        Text(empty=False), "what relative sink paths start from; the plan's folder unless given", example="/var/log/ropeway"
    ),
    "assume": Key(LevelKind(), "root's level where none is set", "info", example="warn"),
    "deliver": Key(Choice(words=("each", "once")), "when one appender is met twice on the climb", "each", example="once"),
    "levels": Key(LEVEL_NAMES, "further level names, 1 to 24", example="{wire: 7}"),
    "values": Key(
        MapOf(Text(as_written=True), name_fault=_value_name_fault), "texts for placeholders", example="{LOGS: /var/log/ropeway}"
    ),
    "mask": Key(
        Record(
            name="mask",
            into=sections.MaskKeys,
            keys={
                "names": Key(ListOf(Text(empty=False)), "further names whose values are hidden", example="[badge]"),
                "patterns": Key(
                    ListOf(Text(empty=False)), "RE2 expressions of what else is hidden", example="['[A-Z]{2}-[0-9]{6}']"
                ),
            },
        ),
        "what templates' step mask hides besides the built-in",
        example="{names: [badge]}",
    ),
    "channels": Key(
        MapOf(
            Record(
                name="a channel",
                into=sections.ChannelKeys,
                empties=True,
                keys={
                    "logger": Key(
                        Text(allow=_logger_name_fault),
                        "its events count as this logger's; their own without it",
                        example="ropeway.door.requests",
                    ),
                    "level": Key(LevelKind(threshold=False), "and as of this level; their own without it", example="notice"),
                    "enabled": Key(Flag(), "false: its events go round the configuration", "true", example="false"),
                    "note": NOTE,
                    "waive": Key(WAIVERS, "checks that are silent here", example="[{check: unused-channel, why: from May on}]"),
                },
            )
        ),
        "other libraries' ways out that are brought in, by name; one that is not named goes round the configuration",
        example="{access: {logger: ropeway.door.requests, level: notice}}",
    ),
    "rules": Key(RULES, "at the door: asked of every event before any logger", example="[{lift: {field: {badge: 4711}}}]"),
    "loggers": Key(
        MapOf(LOGGER, rename=tree_name, name_fault=_logger_name_fault, most=MOST_LOGGERS),
        "loggers by name; root is the root logger",
        example="{root: {level: info, to: daybook}, ropeway.gate: debug}",
    ),
    "appenders": Key(MapOf(APPENDER), "appenders by name", example="{daybook: {sink: file, path: logs/daybook.log}}"),
    "templates": Key(MapOf(TEMPLATE), "templates by name", example="{line: '{time} {message}'}"),
    "waive": Key(WAIVERS, "checks that are silent everywhere", example="[{check: twice, why: both desks want it}]"),
}
PLAN = Record(name="a plan", into=sections.PlanKeys, keys=PLAN_KEYS)
PLAN_FILE = Record(name="a plan", keys=dict(PLAN_KEYS))
PLAN_FILE.keys["stages"] = Key(
    MapOf(PLAN), "named layers, chosen with --stage", example="{live: {loggers: {root: {level: warn}}}}"
)
