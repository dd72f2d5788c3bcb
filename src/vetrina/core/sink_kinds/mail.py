"""A mailbox, reached by SMTP."""

from vetrina.core.plan.model import SinkTraits
from vetrina.core.schema.containers import Key, ListOf
from vetrina.core.schema.kinds import Flag, Text, Whole
from vetrina.core.sink_kinds.kind import SinkKind

KIND = SinkKind(
    "mail",
    "mailboxes; one mail for each event, or for each group of a buffer",
    {
        "host": Key(Text(empty=False, wants="a host"), "the mail server", required=True, example="mail.sereno.example"),
        "port": Key(Whole(low=1, high=65535), "its port", "25", example="587"),
        "from": Key(
            Text(empty=False, wants="an address"), "the sender's address", required=True, example="ropeway@sereno.example"
        ),
        "recipients": Key(
            ListOf(Text(empty=False), single=True, least=1),
            "the addresses it goes to",
            required=True,
            example="[duty@sereno.example]",
        ),
        "subject": Key(
            Text(wants="a template", braced=True),
            "a template, filled from the first event",
            "{level|upper} {logger}",
            example="'{level|upper} at {logger}'",
        ),
        "user": Key(Text(), "the name to log in with", example="ropeway"),
        "password": Key(Text(), "the password to log in with; take it from a placeholder", example="${MAIL_PASSWORD}"),
        "tls": Key(Flag(), "true: encrypt the connection", "false", example="true"),
    },
    place=lambda keys, _folder: f"mail {keys.get('host', '')}:{keys.get('port', '25')} {keys.get('recipients', '')}",
    label=lambda keys: keys.get("recipients", ""),
    traits=SinkTraits(folder="mail", remote=True, lasting=True, slow=True, summons=True, grouped=True),
    receiver=lambda _keys: "smtp",
    address=lambda keys: (keys.get("host", ""), int(keys.get("port", "25"))),
    templates=("subject",),
)
