"""Mail by SMTP (RFC 5321), with STARTTLS (RFC 3207) or TLS, and pictures inline (RFC 2387)."""

from __future__ import annotations

import smtplib
import socket
import ssl
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import formatdate
from html import escape

from north_hush.core.outcome.rules import Way
from north_hush.core.outcome.ways.message import TIMEOUT_S, Message, WayError
from north_hush.core.words import tr

_PORTS = {"none": 25, "starttls": 587, "tls": 465}


def mail_of(way: Way, message: Message) -> EmailMessage:
    """A message as mail: its text, and the same as HTML with the pictures in it."""
    sender = way.sender or (way.user if "@" in way.user else f"north-hush@{socket.gethostname()}")
    mail = EmailMessage()
    mail["Subject"], mail["From"], mail["To"] = " ".join(message.subject.split()), sender, way.to
    mail["Date"], mail["Message-ID"] = formatdate(localtime=True), f"<{message.key}@north-hush>"
    mail.set_content(message.text)
    if message.pictures:
        shown = "".join(f'<p><img src="cid:{number}@north-hush"></p>' for number in range(len(message.pictures)))
        mail.add_alternative(f"<p>{escape(message.text).replace(chr(10), '<br>')}</p>{shown}", subtype="html")
        page = mail.get_payload()[1]  # type: ignore[index]
        for number, picture in enumerate(message.pictures):
            page.add_related(  # type: ignore[union-attr]
                picture.data,
                "image",
                "jpeg",
                cid=f"<{number}@north-hush>",
                filename=picture.name,
                disposition="inline",
            )
    return mail


def send(way: Way, message: Message, password: str) -> str:
    """Hand a message to a mail server.

    Raises
    ------
    WayError : it cannot be reached, is not who it says, or does not take the message.
    """
    host, _, port_text = way.address.partition(":")
    port = int(port_text) if port_text.isdigit() else _PORTS[way.secure]
    try:
        if way.secure == "tls":
            server: smtplib.SMTP = smtplib.SMTP_SSL(host, port, timeout=TIMEOUT_S, context=ssl.create_default_context())
        else:
            server = smtplib.SMTP(host, port, timeout=TIMEOUT_S)
        with server:
            if way.secure == "starttls":
                server.starttls(context=ssl.create_default_context())
            if way.user:
                server.login(way.user, password)
            mail = mail_of(way, message)
            server.ehlo_or_helo_if_needed()
            server.mail(mail["From"])
            refused = [
                f"{to}: {said.decode(errors='replace')}" for to, (code, said) in _rcpt(server, way) if code >= 300
            ]
            if refused:
                raise WayError(
                    tr("way '{name}'", name=way.name),
                    tr("was refused by {address} ({join}).", address=way.address, join="; ".join(refused)),
                    tr("Check 'to'."),
                )
            code, said = server.data(mail.as_bytes(policy=SMTP))
        if code >= 300:
            raise WayError(
                tr("way '{name}'", name=way.name),
                tr(
                    "was refused by {address} ({code} {decode}).",
                    address=way.address,
                    code=code,
                    decode=said.decode(errors="replace"),
                ),
            )
        return f"{code} {said.decode(errors='replace')}"
    except smtplib.SMTPResponseException as error:
        said = error.smtp_error if isinstance(error.smtp_error, bytes) else str(error.smtp_error).encode()
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr(
                "was refused by {address} ({smtp_code} {decode}).",
                address=way.address,
                smtp_code=error.smtp_code,
                decode=said.decode(errors="replace"),
            ),
            _HINT,
        ) from error
    except ssl.SSLCertVerificationError as error:
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr(
                "met a server at {address} whose certificate does not hold ({verify_message}).",
                address=way.address,
                verify_message=error.verify_message,
            ),
            _HINT,
        ) from error
    except (smtplib.SMTPException, OSError) as error:
        if isinstance(error, TimeoutError) or "timed out" in str(error):
            raise WayError(
                tr("way '{name}'", name=way.name),
                tr("got no word from {address} in {timeout_s:g} s.", address=way.address, timeout_s=TIMEOUT_S),
                _HINT,
            ) from error
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("failed at {address} ({error}).", address=way.address, error=error),
            _HINT,
        ) from error


_HINT = tr("Check address, port, encryption and user.")


def _rcpt(server: smtplib.SMTP, way: Way) -> list[tuple[str, tuple[int, bytes]]]:
    return [(to, server.rcpt(to)) for to in (part.strip() for part in way.to.split(",")) if to]
