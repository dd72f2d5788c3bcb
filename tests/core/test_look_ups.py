"""What a mapping's look-ups take from a document: a table over all of them, in every notation."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adopted import adopt, left_over, plan_of, told
from vetrina.core.base.expressions import BadExpression, Expression
from vetrina.core.config.adopted_plan import adopted_plan
from vetrina.core.documents.words import begins_with, ends_with, matcher

EAR = "loggers: [{each: //ear, name: '@for', level: '@from'%s}]\n"
ONE = "<k><ear for='a' from='info'>%s</ear></k>"


def logger(document: str, keys: str, rest: str = "") -> object:
    """Return the entry of the one ear in a document."""
    return plan_of(document, EAR % f", {keys}" + rest)["loggers"]["a"]


@pytest.mark.parametrize(
    ("inside", "keys", "wanted"),
    [
        pytest.param("<n> x </n>", "note: n", {"note": "x"}, id="an element's text without blanks"),
        pytest.param("<n t=' x '/>", "note: n/@t", {"note": " x "}, id="an attribute's with them"),
        pytest.param("<n t=' false '/>", "climb: n/@t", {"climb": False}, id="blanks are ignored where a value is typed"),
        pytest.param("<n>a<b>c</b> d</n>", "note: n", {"note": "ac d"}, id="the texts within count"),
        pytest.param("<n/><n>x</n>", "note: n", {"note": "x"}, id="empty counts as not given"),
        pytest.param("<n>x</n><n>y</n>", "to: n", {"to": ["x", "y"]}, id="all where a list is wanted"),
        pytest.param("<n>x</n><n>y</n>", "note: n", {"note": "x"}, id="the first where one value is wanted"),
        pytest.param("<n>x</n>", "note: {text: as it is}", {"note": "as it is"}, id="a text"),
        pytest.param("<n>5 kilo</n>", r"note: {at: n, match: '(?P<i>\d+) (?P<u>k)', text: '<u>:<i>'}", {"note": "k:5"}, id="groups in a text"),
        pytest.param("<n>5 kilo</n>", r"note: {at: n, match: '(?P<it>\d+) kilo'}", {"note": "5"}, id="the group it"),
        pytest.param("<n>5 kilo</n>", r"note: {at: n, match: '\d'}", {"note": "5"}, id="the whole match"),
        pytest.param("<n>five</n>", r"note: {at: n, match: '\d', or: none}", {"note": "none"}, id="not found counts as not given"),
        pytest.param("<n>x</n><n>5</n>", r"note: {at: n, match: '\d'}", {"note": "5"}, id="the first that matches"),
        pytest.param("<n>x, y ,,z</n>", "to: {at: n, split: ','}", {"to": ["x", "y", "z"]}, id="split, stripped, empty ones left out"),
        pytest.param("<n>,x,y</n>", "to: {at: n, split: ',', skip: 1}", {"to": ["x", "y"]}, id="skip counts parts as they stand"),
        pytest.param("<n>x.y.z</n>", "note: {at: n, split: '.', skip: 1, join: /}", {"note": "y/z"}, id="joined again"),
        pytest.param("<n>x</n><n>y</n>", "note: {at: n, join: '+'}", {"note": "x+y"}, id="joined of many"),
        pytest.param("<n>AYE</n>", "climb: {at: n, words: {aye: false}}", {"climb": False}, id="words ignore case"),
        pytest.param("<n>maybe</n>", "note: {at: n, words: {aye: false}}", {"note": "maybe"}, id="a word that is not there stays"),
        pytest.param("", "to: {at: n, or: [x, y]}", {"to": ["x", "y"]}, id="a list in place of nothing"),
        pytest.param("<n t='1' u='2'/>", "note: \"concat(n/@t, '-', n/@u)\"", {"note": "1-2"}, id="a path that makes a text"),
        pytest.param("<n/><n/>", "note: count(n)", {"note": "2"}, id="a number by XPath"),
        pytest.param("<n>x</n>", "note: {of: //n, where: ., is: {text: x}, at: ../@for}", {"note": "a"}, id="a reference"),
        pytest.param("<n>x</n>", "note: {of: //n, where: ., is: {text: y}, at: ../@for}", {}, id="a reference to nothing"),
        pytest.param("<n at='1'>x</n><n at='2'>y</n>", "to: [{each: n, appender: ., note: '@at'}]",
                     {"to": [{"appender": "x", "note": "1"}, {"appender": "y", "note": "2"}]}, id="items with an each of their own"),
        pytest.param("<n>x</n>", "to: [{each: '.', appender: {text: z}}, {each: n, appender: .}]", {"to": ["z", "x"]}, id="items in order"),
    ],
)  # fmt: skip
def test_xml_look_ups(inside: str, keys: str, wanted: dict[str, object]) -> None:
    assert logger(ONE % inside, keys) == {"level": "info", **wanted}


@pytest.mark.parametrize(
    ("reads", "document", "mapping", "wanted"),
    [
        ("json", '{"l": {"a": {"x": "info"}, "b": {"x": null}}}', "{each: '$.l.*', name: {key: 0}, level: $.x}", {"a": {"level": "info"}, "b": {}}),
        ("json", '{"l": [{"n": "a", "t": ["x", "y"]}]}', "{each: '$.l[*]', name: $.n, to: $.t}", {"a": {"to": ["x", "y"]}}),
        ("json", '{"l": {"a": [{"t": "x"}]}}', "{each: '$.l.a[0]', name: {key: 1}, to: $.t}", {"a": {"to": ["x"]}}),
        ("json", '{"n": {"a": 5, "b": "7"}, "x": 3}', "{each: {of: $.n, members: '(?P<w>.)'}, name: {text: <w>}, note: $}", {"a": {"note": "5"}, "b": {"note": "7"}}),
        ("json", '{"a.on": true, "b.on": false}', r"{each: {members: '(?P<w>.)\.on', value: true}, name: {text: <w>}, climb: $}", {"a": {"climb": True}}),
        ("json", '{"a": {"k": "x"}, "b": {"k": "y"}}', "{each: '$[?@.k == \"x\"]', name: {key: 0}, note: $.k}", {"a": {"note": "x"}}),
        ("json", '{"a": {"k": "xyz"}}', "{each: '$[?search(@.k, \"^x.z$\")]', name: {key: 0}, note: $.k}", {"a": {"note": "xyz"}}),
        ("yaml", "l: &l {x: warn}\nm: {a: *l}\n", "{each: '$.m.*', name: {key: 0}, level: $.x}", {"a": {"level": "warn"}}),
        ("ini", "[ear a]\nmin = info\n[shared]\nmin=warn", "{each: {members: 'ear (?P<w>.+)'}, name: {text: <w>}, level: $.min, note: {member: shared.min}}",
         {"a": {"level": "info", "note": "warn"}}),
        ("ini", "[x.y]\nz = 1\n[ear]\na=info", "{each: {of: $.ear, members: '(?P<w>.)'}, name: {text: <w>}, level: $, note: {member: x.y.z}}",
         {"a": {"level": "info", "note": "1"}}),
        ("lines", "a.l = info\na.to: x, y\n", r"{each: {members: '(?P<w>.)\.l'}, name: {text: <w>}, level: $, to: {member: <w>.to, split: ','}}",
         {"a": {"level": "info", "to": ["x", "y"]}}),
        ("lines", "a = \\\n   in\\\r\n fo\n! c\n;c\n#c\nb", "{each: {members: '(?P<w>.)'}, name: {text: <w>}, level: $}", {"a": {"level": "info"}, "b": {}}),
    ],
)  # fmt: skip
def test_members_and_references(reads: str, document: str, mapping: str, wanted: dict[str, object]) -> None:
    assert plan_of(document, f"loggers: [{mapping}]", reads)["loggers"] == wanted


@pytest.mark.parametrize(
    ("text", "level"),
    [("whisper", "debug"), ("SHOUT", "error"), ("45", "warn"), ("40", "warn"), ("59", "warn"), ("59.5", "59.5"), ("warn", "warn"), ("7", "7")],
)  # fmt: skip
def test_words_and_numbers_for_levels(text: str, level: str) -> None:
    found = plan_of(
        f"<k><ear for='a' from='{text}'/></k>", "levels: {whisper: debug, shout: error, '40..59': warn}\n" + EAR % ""
    )
    assert found["loggers"]["a"]["level"] == level


def test_a_rule_s_level_is_a_range_in_the_document_s_words() -> None:
    rule = plan_of(
        "<k><bin from='whisper..shout'/></k>",
        "levels: {whisper: debug, shout: error}\nplan: {rules: [{each: //bin, drop: {level: '@from'}}]}",
    )
    assert rule["rules"] == [{"drop": {"level": "debug..error"}}]


TOKENS = """
appenders: [{each: //d, name: "@id", sink: {text: file}, path: {at: "@p", by: name}, template: {at: look, by: look}}]
tokens:
  look:
    - {match: '\\$when\\((?P<f>[^)]*)\\)', text: "{time|<f|dates>}"}
    - {match: '\\$w(?P<n>\\d)', text: "{level|pad <n>}"}
    - {match: '"(?P<q>[^"]*)"', text: "<q>"}
    - {match: '\\$w', text: "{level}"}
    - {match: '\\$end', text: "\\n"}
  name: [{match: '#no', text: "{n}"}]
tables: {dates: {Y: "%y", YEAR: "%Y", MIN: "%M"}}
strange: {look: '\\$\\S', name: '#\\w+'}
"""


@pytest.mark.parametrize(
    ("look", "text", "ending"),
    [
        ("$when(YEAR-Y:MIN) $w5$end", "{time|%Y-%y:%M} {level|pad 5}", "\n"),
        ("{a} $w {$w}", "{{a}} {level} {{{level}}}", ""),
        ('"{$w}" x', "{{$w}} x", ""),
        ("$w$end$end", "{level}\n", "\n"),
    ],
)  # fmt: skip
def test_tokens_make_a_template_named_after_its_appender(look: str, text: str, ending: str) -> None:
    found = plan_of(f"<k><d id='x' p='a#no.log'><look>{look}</look></d></k>", TOKENS)
    assert found["appenders"]["x"] == {"sink": "file", "path": "a{n}.log", "template": "x"}
    assert found["templates"] == {"x": {"as": "text", "text": text, "ending": ending}}


def test_a_template_by_tokens_gives_way_to_one_of_the_document_s_own_name() -> None:
    own = 'templates: [{each: //t, name: "@id", text: {at: ., by: look}}]\n'
    found = plan_of("<k><d id='x' p='a'><look>$w</look></d><t id='x'>$w$end</t></k>", TOKENS + own)
    assert found["appenders"]["x"]["template"] == "x 2"
    assert found["templates"] == {
        "x": {"as": "text", "text": "{level}", "ending": "\n"},
        "x 2": {"as": "text", "text": "{level}", "ending": ""},
    }


PLACE = "placeholder: '\\?(?P<name>[\\w.]+)(?:!(?P<default>[^?]*))?\\?'\n"


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("?a.b?", "${a_b}"),
        ("x?a!d?y", "x${a:-d}y"),
        ("?a!?", "${a:-}"),
        ("${a} ?b?", "$${{a}} ${b}"),
        ("{?a?}", "{{${a}}}"),
        ("a?b", "a?b"),
    ],
)  # fmt: skip
def test_placeholders_become_the_plan_s(text: str, wanted: str) -> None:
    document = f"<k><d id='x' p='{text}'/></k>"
    found = plan_of(document, PLACE + 'appenders: [{each: //d, name: "@id", sink: {text: file}, path: "@p"}]')
    assert found["appenders"]["x"]["path"] == wanted


def test_placeholders_are_set_aside_while_a_value_is_matched_and_translated() -> None:
    document = "<k><d id='x' p='#no?a#no?'><look>$w?b?</look></d></k>"
    mapping = PLACE.replace("[\\w.]+", "[\\w.#]+") + TOKENS
    found = plan_of(document, mapping)
    assert found["appenders"]["x"]["path"] == "{n}${a_no}"
    assert found["templates"]["x"]["text"] == "{level}${b}"


def test_what_lies_in_a_stage_is_that_stage_s_alone() -> None:
    document = "<k><ear for='a' from='info'/><s is='w'><ear for='a' from='warn'/><d/></s><s is='w'><ear for='b'/></s></k>"
    found = plan_of(
        document, EAR % "" + "stages: [{each: //s, name: '@is', loggers: [{each: .//ear, name: '@for', level: '@from'}]}]"
    )
    assert found["loggers"] == {"a": {"level": "info"}}
    assert found["stages"] == {"w": {"loggers": {"a": {"level": "warn"}, "b": {}}}}


def test_entries_of_one_name_are_laid_over_each_other() -> None:
    document = "<k><ear for='a' from='info'><g>x</g></ear><ear for='a' from='warn'/><ear for='a'><g>y</g></ear></k>"
    assert logger(document, "to: g") == {"level": "warn", "to": ["y"]}


def test_conditions_and_their_tests() -> None:
    document = "<k><bin f='gate' v='7' w='x.*'><or for='a'/><or for='b'/></bin></k>"
    rule = "{each: //bin, keep: {field: {gate: {at-least: '@v'}, line: {matches: '@w'}, n: '@v'}, any: [{each: or, logger: '@for'}], not: {message: '@none'}}}"
    found = plan_of(document, f"plan: {{rules: [{rule}, {{each: //bin, drop: {{logger: '@none'}}}}]}}")
    assert found["rules"] == [
        {
            "keep": {
                "field": {"gate": {"at-least": 7}, "line": {"matches": "x.*"}, "n": 7},
                "any": [{"logger": ["a"]}, {"logger": ["b"]}],
            }
        },
        {"drop": {}},
    ]


def test_templates_with_members_and_columns() -> None:
    document = "<k><t id='x'><m k='at'>T</m><m k='l'>L</m></t></k>"
    mapping = "templates: [{each: //t, name: '@id', members: {say: {text: '{message}'}, data: {raw: {text: fields}}, in: {x: m}}, omit-empty: {text: true}}]"
    assert plan_of(document, mapping)["templates"]["x"] == {
        "as": "json", "members": {"say": "{message}", "data": {"raw": "fields"}, "in": {"x": "T"}}, "omit-empty": True,
    }  # fmt: skip


def test_included_documents_are_read_after_this_one() -> None:
    mapping = "include: {each: //more, path: '@file'}\n" + EAR % ""
    files = {"b": "<k><ear for='a' from='warn'/><more file='doc'/></k>", "c": "<k><ear for='c'/></k>"}
    assert plan_of("<k><more file='c'/><ear for='a' from='info'/><more file='c'/></k>", mapping, c=files["c"])["loggers"] == {
        "a": {"level": "info"},
        "c": {},
    }
    assert told("<k><more file='b'/></k>", mapping, b=files["b"]) == ["b:1:42 documents include each other in a circle"]
    assert "there is no such file" in told("<k><more file='nowhere'/></k>", mapping)[0]


@pytest.mark.parametrize(
    ("reads", "document", "mapping", "left"),
    [
        ("xml", "<k a='1'><x/>t<y b='2'><z/></y></k>", "", ["/k"]),
        ("xml", "<k a='1'><x/>t<ear for='a' q='2'><z/>u</ear></k>", EAR % "", ["/k/@a", "/k/x", "/k/text()", "/k/ear/@q", "/k/ear/z", "/k/ear/text()"]),
        ("xml", "<k><ear for='a' k='1' z='2'/><ear for='b' k='2'/></k>", "loggers: [{each: '//ear[@k=1]', name: '@for'}]", ["/k/ear[1]/@z", "/k/ear[2]/@for"]),
        ("xml", "<k><ear for='a' q='2'/></k>", "ignore: ['//@q']\n" + EAR % "", []),
        ("xml", "<k><ear for='a'><n>x</n><n>y</n></ear></k>", EAR % ", note: n", ["/k/ear/n[2]"]),
        ("xml", "<k><ear for='a'><n>x</n></ear></k>", EAR % r", note: {at: n, match: '\d'}", ["/k/ear/n"]),
        ("json", '{"a": {"l": "info", "b-c": [1, {"d": 2}]}, "e": []}', "loggers: [{each: $.a, name: {key: 0}, level: $.l}]", ["$.a['b-c']", "$.e"]),
        ("json", '{"a": [{"k": 1, "l": 2}, {"k": 2}]}', "loggers: [{each: '$.a[?@.k == 1]', name: {text: x}}]", ["$.a[0].l"]),
        ("ini", "[a]\nx=1\ny=2\n[b]\n", "plan: {title: $.a.x}", ["$.a.y", "$.b"]),
        ("lines", "x=1\ny=2\n", "plan: {title: $.x}", ["$.y"]),
    ],
)  # fmt: skip
def test_what_nothing_reads_is_left_over_each_at_its_top(reads: str, document: str, mapping: str, left: list[str]) -> None:
    assert left_over(document, mapping, reads) == left


def test_a_key_given_again_wins_and_the_others_are_told() -> None:
    _, adoption = adopt("x = 1\nx = 2\n", "plan: {title: $.x, zone: $.y}", "lines")
    assert [(one.code, str(one.place)) for one in adoption.remarks] == [("repeated-key", "doc:1:1")]
    assert plan_of("[a]\nx = 1\n[b]\n[a]\nx = 2", "plan: {title: $.a.x}", "ini") == {"title": "2"}


def test_an_item_that_takes_nothing_is_told_at_its_place() -> None:
    _, adoption = adopt("<k/>", EAR % "")
    assert [(one.code, str(one.place)) for one in adoption.remarks] == [
        ("left-over", "doc:1:1"),
        ("takes-nothing", "m.yaml:3:18"),
    ]


@pytest.mark.parametrize(
    ("mapping", "wanted"),
    [
        ("loggrs: []", 'm.yaml:3:1 "loggrs" is not a known key in a mapping'),
        ("loggers: [{each: //ear, name: '@for', levl: '@x'}]", 'm.yaml:3:39 "levl" is not a known key in a logger'),
        ("loggers: [{each: '//ear[', name: '@for'}]", 'm.yaml:3:18 "//ear[" is no XPath 1.0'),
        ("loggers: [{name: '@for'}]", "m.yaml:3:11 this item does not say which parts it takes"),
        ("loggers: [{each: //ear}]", "m.yaml:3:11 this item does not say what the entry is called"),
        ("loggers: [{each: //ear, name: {at: '@for', key: 0}}]", "m.yaml:3:31 a look-up has one of at, text, key, member, of, and this has at and key"),
        ("loggers: [{each: //ear, name: {at: '@for', match: 'a('}}]", 'm.yaml:3:51 "a(" is no expression'),
        ("loggers: [{each: //ear, name: {at: '@for', match: 'a', text: <b>}}]", "m.yaml:3:62 no match here has a group called b"),
        ("loggers: [{each: //ear, name: '@for', note: {at: ., by: look}}]", 'm.yaml:3:57 no set of tokens is called "look"'),
        ("loggers: [{each: {members: a}, name: '@for'}]", "m.yaml:3:18 an element has no members"),
        ("placeholder: a", "m.yaml:3:14 a placeholder's expression has a group called name"),
        ("plan: {loggers: []}", 'm.yaml:3:8 "loggers" is a list of items of its own'),
        ("tokens: {x: [{match: a}]}", "m.yaml:3:14 a token needs match and text"),
        ("new: {logger: {text: x}}", 'm.yaml:3:15 a new logger of xml needs "into"'),
        ("loggers: [{each: //ear, name: '@none'}]", "doc:1:4 this entry has no name"),
        ("loggers: [{each: 'count(//ear)', name: '@for'}]", "m.yaml:3:18 this path makes a text, and parts are wanted"),
        ("loggers: [{each: //ear, name: '@for', note: '$x'}]", "m.yaml:3:45 "),
        (PLACE + "loggers: [{each: //ear, name: '@q'}]", "doc:1:38 this name holds a placeholder"),
        (PLACE + "loggers: [{each: //ear, name: '@for', note: '@r'}]", "doc:1:47 a $ stands right before a placeholder"),
        (PLACE + "loggers: [{each: //ear, name: '@for', note: '@s'}]", 'doc:1:56 the default of the placeholder "a" holds a }'),
        (TOKENS.replace("//d", "//ear").replace("@id", "@for").replace("at: look", "at: '@t'"), "doc:1:66 no token of look reads $x"),
    ],
)  # fmt: skip
def test_faults_have_their_place(mapping: str, wanted: str) -> None:
    document = "<k><ear for='a' from='info' p='x' q='b?c?' r='$?a?' s='?a!}?' t='$w $x'/></k>"
    assert [one[: len(wanted)] for one in told(document, mapping)] == [wanted]


@pytest.mark.parametrize(
    ("expression", "first", "last"),
    [(r"\?(?P<name>a)", "?", ""), ("%x", "%x", ""), ("a|b", "", ""), ("(?i)x", "", ""), ("x(?P<n>.)(?i)y", "", ""), ("@?x", "", ""), (r"\d+", "", ""), (r"\$\{", "${", ""),
     (r"ear\.(?P<n>.+)\.from", "ear.", ".from"), (r"ab?(?P<n>.)+", "a", "")],
)  # fmt: skip
def test_with_what_an_expression_begins_and_ends(expression: str, first: str, last: str) -> None:
    assert (begins_with(expression), ends_with(expression)) == (first, last)


@given(
    st.lists(st.sampled_from(["a", r"\.", r"\(", "(?P<n>.+)", "(?P<n>.*)", "b+", "x|y", "(?i)", r"\w"]), max_size=4).map(
        "".join
    ),
    st.lists(st.sampled_from(["a", ".", "(", "b", "\n", "x"]), max_size=5).map("".join),
)
def test_a_name_is_matched_as_the_expression_alone_matches_it(expression: str, name: str) -> None:
    try:
        known = Expression(expression)
    except BadExpression:
        return
    found = known.fullmatch(name)

    assert matcher(known)(name) == (None if found is None else found.groupdict())


def test_what_a_plan_cannot_say_of_a_value_that_is_filled_later_is_told() -> None:
    mapping = PLACE + "levels: {whisper: debug, warn: error}\nvalues: [{each: //let, name: '@w', value: '@is'}]\n" + EAR % ""
    for value, untold in (("whisper", 0), ("info", 0), ("warn", 1)):
        node, adoption = adopt(f"<k><let w='x' is='{value}'/><ear for='a' from='?x?'/></k>", mapping)
        body, faults = adopted_plan(node, adoption)
        assert (len(faults), "levels" in body.entries) == (untold, True)
