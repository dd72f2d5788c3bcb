"""What there is to call, as plain data: `vetrina --help` is answered from here, without loading anything."""

from __future__ import annotations

COMMANDS: dict[str, str] = {
    "tour": "walk through the whole example on the demo data",
    "levels": "which level each logger really has, and from where",
    "resolve": "the plan in force, written out, each value with its origin",
    "origin": "who said what about one value, and what nothing uses",
    "routes": "which events reach which appender, and what stops the others",
    "why": "why one message arrives, or does not: every gate in order",
    "preview": "the very lines that each sink would get",
    "rolling": "which files there will be, when they roll, and how far back they reach",
    "pressure": "the rush hour: what limits stop, what queues drop or hold, how late events are",
    "whatif": "what a change would do: gained, lost, bytes a day, history left",
    "page": "one page to hand over, that opens in any browser",
    "compare": "every message that two plans treat differently, or proof that there is none",
    "apply": "write a change into the plan, every other byte kept",
    "undo": "take the last applied change back",
    "expect": "expected deliveries, checked like tests",
    "rehearse": "the real files, mails, datagrams and rows, in a folder to open and look at",
    "receive": "a stand-in for mail, syslog and HTTP on loopback",
    "read": "log files back into events",
    "find": "search what was collected: across files, by time, journeys, timed blocks",
    "survey": "the messages in a program's source: where each would go, which were never seen",
    "check": "what is wrong, risky or pointless in a plan, and what to do",
    "live": "the levels in a running service beside the planned ones; a recorded change, and back",
    "capture": "a guarded reproduction: changed, marked, put back, collected",
    "mimic": "a stand-in for a running service, to try that on",
    "adopt": "a configuration in another format as a plan, and what in it nothing reads",
    "schema": "JSON Schemas of plans, mappings, services, events, cases and every output",
}
OPTIONS = {
    "--version": "print the version and end",
    "--install-completion": "complete commands and options in this shell",
    "--show-completion": "print what that would install",
    "--help": "print this page, or with COMMAND the command's own",
}
EXAMPLES = (
    ("see the whole example", "vetrina tour"),
    ("which level does the gate scanner have, and who says so?", "vetrina levels plan.yaml ropeway.gate.scanner"),
    ("where did the debug message go?", "vetrina why plan.yaml --logger ropeway.gate --level debug"),
    ("which events reach which sink?", "vetrina routes plan.yaml week.jsonl"),
)


def page() -> str:
    """Return the page that `vetrina --help` prints."""
    wide = max(map(len, [*COMMANDS, *OPTIONS]))
    lines = [
        "usage: vetrina COMMAND …",
        "",
        "See which log messages reach which sink, before a logging configuration is changed.",
        "",
        "Commands (vetrina COMMAND --help tells more):",
        *(f"  {name:<{wide}}  {words}" for name, words in COMMANDS.items()),
        "",
        "Options:",
        *(f"  {name:<{wide}}  {words}" for name, words in OPTIONS.items()),
        "",
        "Examples:",
    ]
    for words, call in EXAMPLES:
        lines += [f"  # {words}", f"  {call}"]
    lines += [
        "",
        "Exit codes: 0 fine; 1 something was found wanting; 2 the call or an input was wrong.",
    ]
    return "\n".join(lines)
