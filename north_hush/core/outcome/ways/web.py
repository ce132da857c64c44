"""An HTTP request, with JSON or a form, sent again while the server is out of order."""

from __future__ import annotations

import base64
from typing import Any

from north_hush.core.outcome.rules import Way
from north_hush.core.outcome.ways.message import TIMEOUT_S, Message, WayError
from north_hush.core.words import tr

_TRIES = 4


def request_of(way: Way, message: Message) -> dict[str, Any]:
    """What is sent: JSON with the pictures in base 64, or a form with them as files."""
    facts = {"subject": message.subject, "text": message.text, "key": message.key, **message.facts}
    if way.body == "form":
        files = {
            f"picture{number}": (held.name, held.data, "image/jpeg") for number, held in enumerate(message.pictures)
        }
        plain = {name: value if isinstance(value, str) else str(value) for name, value in facts.items()}
        return {"data": plain, "files": files or None}
    pictures = [
        {"name": held.name, "type": "image/jpeg", "base64": base64.b64encode(held.data).decode()}
        for held in message.pictures
    ]
    return {"json": {**facts, "pictures": pictures}}


def send(way: Way, message: Message, password: str) -> str:
    """Send a request; its method stands in `to`, POST when that is empty. What a server answers with 5xx or 429 is sent again.

    Raises
    ------
    WayError : it cannot be reached, or does not take it.
    """
    import httpx
    from tenacity import retry, retry_if_exception_type, stop_after_attempt, wait_exponential_jitter

    class Again(Exception):
        """The server is out of order."""

    @retry(
        stop=stop_after_attempt(_TRIES),
        wait=wait_exponential_jitter(multiplier=0.3, max=4),
        retry=retry_if_exception_type(Again),
        reraise=True,
    )
    def post() -> httpx.Response:
        answer = client.request(way.to or "POST", way.address, headers=dict(way.headers), **request_of(way, message))
        if answer.status_code >= 500 or answer.status_code == 429:
            raise Again(f"{answer.status_code} {answer.reason_phrase}")
        return answer

    auth = (way.user, password) if way.user else None
    try:
        with httpx.Client(timeout=TIMEOUT_S, auth=auth, follow_redirects=False) as client:
            answer = post()
    except Again as error:
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("was refused {tries} times by {address} ({error}).", tries=_TRIES, address=way.address, error=error),
            tr("Look at the server."),
        ) from error
    except httpx.TimeoutException as error:
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("got no word from {address} in {timeout_s:g} s.", address=way.address, timeout_s=TIMEOUT_S),
            tr("Look at the server."),
        ) from error
    except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("failed at {address} ({error}).", address=way.address, error=error),
            tr("Check the address."),
        ) from error
    if answer.status_code >= 300:
        said = f"{answer.status_code} {answer.reason_phrase} {answer.text[:200]}".strip()
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("was refused by {address} ({said}).", address=way.address, said=said),
            tr("Check address, method and headers."),
        )
    return f"{answer.status_code} {answer.reason_phrase}"
