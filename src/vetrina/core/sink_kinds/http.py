"""A URL that takes events as requests."""

from urllib.parse import urlsplit

from vetrina.core.plan.model import SinkTraits
from vetrina.core.schema.containers import Key, MapOf
from vetrina.core.schema.kinds import Choice, Text
from vetrina.core.sink_kinds.kind import Shown, SinkKind

_PORTS = {"http": 80, "https": 443}


def _url_fault(url: str) -> str:
    """Return why a URL cannot be asked, nothing where it can."""
    try:
        parts = urlsplit(url)
        port = parts.port
    except ValueError as error:
        return f"is no URL: {str(error)[:1].lower()}{str(error)[1:]}"
    if parts.scheme not in {"http", "https"} or not parts.hostname or port == 0:
        return f'is no URL to send to: "{url[:60]}"; write https://HOST/PATH'
    return ""


def _address(keys: Shown) -> tuple[str, int]:
    parts = urlsplit(keys.get("url", ""))
    return parts.hostname or "", parts.port or _PORTS.get(parts.scheme, 80)


KIND = SinkKind(
    "http",
    "a URL that each event, or each group of a buffer, is sent to",
    {
        "url": Key(
            Text(empty=False, wants="a URL", pattern="^https?://|\\$\\{", allow=_url_fault),
            "where to",
            required=True,
            example="https://desk.sereno.example/events",
        ),
        "method": Key(Choice(words=("POST", "PUT", "PATCH")), "the request's method", "POST", example="PUT"),
        "headers": Key(MapOf(Text()), "further header fields", example="{X-Site: sereno}"),
    },
    place=lambda keys, _folder: f"http {keys.get('url', '')}",
    label=lambda keys: keys.get("url", ""),
    traits=SinkTraits(folder="http", remote=True, lasting=True, slow=True, parsed=True, grouped=True),
    receiver=lambda _keys: "http",
    address=_address,
)
