"""A syslog receiver (RFC 5424 over UDP, TCP or TLS)."""

from vetrina.core.plan.model import SinkTraits
from vetrina.core.schema.containers import Key
from vetrina.core.schema.kinds import Choice, Text, Whole
from vetrina.core.sink_kinds.kind import SinkKind

KIND = SinkKind(
    "syslog",
    "a syslog receiver; its template is one with as: syslog",
    {
        "host": Key(Text(empty=False, wants="a host"), "the receiver", required=True, example="log.sereno.example"),
        "port": Key(Whole(low=1, high=65535), "its port", "514", example="6514"),
        "transport": Key(Choice(words=("udp", "tcp", "tls")), "how datagrams travel", "udp", example="tls"),
    },
    takes=("syslog",),
    place=lambda keys, _folder: f"syslog {keys.get('transport', 'udp')} {keys.get('host', '')}:{keys.get('port', '514')}",
    label=lambda keys: f"{keys.get('host', '')}:{keys.get('port', '514')} ({keys.get('transport', 'udp')})",
    traits=SinkTraits(folder="syslog", remote=True, lasting=True, framed=True),
    receiver=lambda keys: keys.get("transport", "udp"),
    address=lambda keys: (keys.get("host", ""), int(keys.get("port", "514"))),
)
