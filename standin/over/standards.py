"""The standards that the simulated stand speaks, by the name that `--over` gives them."""

from __future__ import annotations

from pathlib import Path

from standin.over.publisher import Publisher

USUAL_PORT = {
    "modbus": 5020,
    "modbus-rtu": 0,
    "mqtt": 1883,
    "can": 43113,
    "opcua": 4840,
    "serial": 0,
    "text": 7430,
    "files": 0,
}


def publisher(over: str, host: str, port: int, folder: Path = Path("recorder")) -> Publisher:
    """Of one standard; `folder` is where a recorder writes.

    Its library is loaded here: no other has to be installed for it.
    """
    port = port or USUAL_PORT[over]
    match over:
        case "modbus":
            from standin.over.modbus import ModbusPublisher

            return ModbusPublisher(host, port)
        case "modbus-rtu":
            from standin.over.modbus import ModbusRtuPublisher

            return ModbusRtuPublisher()
        case "mqtt":
            from standin.over.mqtt import MqttPublisher

            return MqttPublisher(host, port)
        case "can":
            from standin.over.can import CanPublisher

            return CanPublisher(port)
        case "opcua":
            from standin.over.opcua import OpcUaPublisher

            return OpcUaPublisher(host, port)
        case "text":
            from standin.over.text import TextPublisher

            return TextPublisher(host, port)
        case "serial":
            from standin.over.text import SerialPublisher

            return SerialPublisher()
        case "files":
            from standin.over.files import FilesPublisher

            return FilesPublisher(folder)
    raise ValueError(f"no standard is called {over}")
