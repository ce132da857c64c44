"""MQTT: a message at QoS 1, so that the broker says that it has it; the first picture on a topic below."""

from __future__ import annotations

import json
import threading
from typing import Any

from north_hush.core.outcome.rules import Way
from north_hush.core.outcome.ways.message import TIMEOUT_S, Message, WayError
from north_hush.core.words import tr

_PORTS = {"none": 1883, "starttls": 8883, "tls": 8883}


def send(way: Way, message: Message, password: str) -> str:
    """Publish a message to the topic in `to`.

    Raises
    ------
    WayError : the broker cannot be reached, refuses the user, or does not say that it has the message.
    """
    from paho.mqtt.client import Client, MQTTMessageInfo
    from paho.mqtt.enums import CallbackAPIVersion

    host, _, port_text = way.address.removeprefix("mqtt://").removeprefix("mqtts://").partition(":")
    port = int(port_text) if port_text.isdigit() else _PORTS[way.secure]
    connected, said = threading.Event(), list[str]()

    def on_connect(client: Any, data: Any, flags: Any, reason: Any, properties: Any) -> None:
        said.append(str(reason))
        connected.set()

    client = Client(CallbackAPIVersion.VERSION2)
    client.on_connect = on_connect
    client.connect_timeout = TIMEOUT_S
    if way.user:
        client.username_pw_set(way.user, password)
    try:
        if way.secure != "none":
            client.tls_set()
        client.connect(host, port)
        client.loop_start()
        if not connected.wait(TIMEOUT_S):
            raise WayError(
                tr("way '{name}'", name=way.name),
                tr("got no word from {address} in {timeout_s:g} s.", address=way.address, timeout_s=TIMEOUT_S),
                tr("Look at the broker."),
            )
        if said[0] != "Success":
            raise WayError(
                tr("way '{name}'", name=way.name),
                tr("was refused by {address} ({said}).", address=way.address, said=said[0]),
                tr("Check user and password."),
            )
        facts = {"subject": message.subject, "text": message.text, "key": message.key, **message.facts}
        sent: list[MQTTMessageInfo] = [client.publish(way.to, json.dumps(facts), qos=1)]
        sent += [client.publish(f"{way.to}/picture", held.data, qos=1) for held in message.pictures[:1]]
        for held in sent:
            held.wait_for_publish(TIMEOUT_S)
            if not held.is_published():
                raise WayError(
                    tr("way '{name}'", name=way.name),
                    tr("was not acknowledged by {address}.", address=way.address),
                    tr("Look at the broker."),
                )
    except (OSError, ValueError, RuntimeError) as error:
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("failed at {address} ({error}).", address=way.address, error=error),
            tr("Check the address."),
        ) from error
    finally:
        client.disconnect()
        client.loop_stop()
    return tr("{count} acknowledged by {address}", count=len(sent), address=way.address)
