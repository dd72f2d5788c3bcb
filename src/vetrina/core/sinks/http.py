"""A URL that takes events as requests."""

from vetrina.core.shapes import Choice, Key, MapOf, Text
from vetrina.core.sinks._kind import SinkKind

KIND = SinkKind(
    "http",
    "a URL that each event, or each group of a buffer, is sent to",
    {
        "url": Key(Text(empty=False, wants="a URL", pattern="^https?://|\\$\\{"), "where to", required=True),
        "method": Key(Choice(words=("POST", "PUT", "PATCH")), "the request's method", "POST"),
        "headers": Key(MapOf(Text()), "further header fields"),
    },
    place=lambda keys, _folder: f"http {keys.get('url', '')}",
    label=lambda keys: keys.get("url", ""),
    remote=True,
)
