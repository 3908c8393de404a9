"""Whatever is sent to any address by anybody, drawn from the API's own schema: never a failure of the server."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator, Mapping
from functools import cache
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test.client import MULTIPART_CONTENT

from config.api import api
from config.tests import test_api
from ops.effort import effort

TEXTS = (
    "", " ", "x", "0", "-1", "1e999", "nan", "1,5", "½ in", "<script>", "'; DROP", "٣", "🔧", "a\x00b", "\ud800",
    "x" * 9000, "87 mm", "20 °C", "2026-11-02", "2026-13-45T99:00:00Z", "2026-11-02T09:05:00Z", "../../etc",
    "sae_j607", "csv",
)  # fmt: skip
NUMBERS = (0, 1, -1, 3, 2500, 6900, 2**31, 2**63, 10**30, 0.5, -0.0, 1e308, -1e308, float("nan"), float("inf"))
FILES = (
    b"", b"time,rpm,torque\n0,1,2\n",
    b"PK\x03\x04", b"PAR1", b"MDF ", b"\x00" * 100, b"\xff\xd8\xff", b"\xe9;\xfc\n1;2",
)  # fmt: skip


class Draw:
    """Bodies and parameters after a schema, most of them nearly right and some of them not at all."""

    def __init__(self, seed: int, ids: Mapping[str, Any]) -> None:
        self.dice, self.ids = random.Random(seed), ids
        self.schemas = schema()["components"]["schemas"]

    def value(self, schema: Mapping[str, Any], name: str = "", depth: int = 0) -> Any:
        if "$ref" in schema:
            return self.value(self.schemas[schema["$ref"].rpartition("/")[2]], name, depth)
        if self.dice.random() < 0.05:
            return self.dice.choice((None, [], {}, "", 0, True))
        if options := schema.get("anyOf") or schema.get("oneOf") or schema.get("allOf"):
            return self.value(self.dice.choice(options), name, depth)
        if "enum" in schema and self.dice.random() < 0.8:
            return self.dice.choice(schema["enum"])
        match schema.get("type"):
            case "object":
                return self._object(schema, depth)
            case "array":
                count = 0 if depth > 4 else self.dice.choice((0, 1, 2, 3))
                return [self.value(schema.get("items", {}), name, depth + 1) for _ in range(count)]
            case "integer" | "number":
                return self._number(name)
            case "boolean":
                return self.dice.random() < 0.5
            case _:
                return self.dice.choice(TEXTS)

    def _object(self, schema: Mapping[str, Any], depth: int) -> dict[str, Any]:
        wanted, must = schema.get("properties", {}), set(schema.get("required", ()))
        found = {
            key: self.value(part, key, depth + 1)
            for key, part in wanted.items()
            if self.dice.random() < (0.97 if key in must else 0.6)
        }
        if isinstance(more := schema.get("additionalProperties"), dict):
            found |= {self.dice.choice((*self.ids, "bore", "setting:jets", "x\x00")): self.value(more, "", depth + 1)
                      for _ in range(2)}  # fmt: skip
        return found

    def _number(self, name: str) -> Any:
        known = self.ids.get(name.removesuffix("_id").removesuffix("s"))
        return known if known is not None and self.dice.random() < 0.7 else self.dice.choice(NUMBERS)

    def path(self, address: str, parameters: list[Mapping[str, Any]]) -> str:
        """The address with its parameters; most of them of what is there."""
        query = []
        for parameter in parameters:
            name = parameter["name"]
            value: Any = self.ids.get(name.removesuffix("_id"))
            if value is None or self.dice.random() < 0.2:
                value = self.value(parameter["schema"], name)
            if parameter["in"] == "path":
                shown = str(value).encode("utf-8", "replace").decode().replace("/", "%2F").replace("?", "%3F") or "0"
                address = address.replace(f"{{{name}}}", shown[:200].replace("\x00", "%00"))
            elif self.dice.random() < 0.7:
                query.append((name, str(value).encode("utf-8", "replace").decode()))
        return address + ("?" + "&".join(f"{name}={value}" for name, value in query) if query else "")


@cache
def schema() -> Mapping[str, Any]:
    return api.get_openapi_schema()


def operations() -> Iterator[tuple[str, str, Mapping[str, Any]]]:
    for address, methods in schema()["paths"].items():
        for method, operation in methods.items():
            if operation["operationId"] not in ("sign_out", "sign_in"):
                yield method, address, operation


class Fuzz(test_api.OneOfEverything):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.names |= {"programme": cls.programme.pk, "item": "exhaust", "standard": "sae_j607"}

    def send(self, draw: Draw, method: str, address: str, operation: Mapping[str, Any]):
        path = draw.path(address, operation.get("parameters", []))
        content = operation.get("requestBody", {}).get("content", {})
        if "multipart/form-data" in content:
            given = {
                "file": SimpleUploadedFile("a\x00.csv", draw.dice.choice(FILES)),
                "text": draw.dice.choice(TEXTS[:10]),
            }
            return self.client.generic(method.upper(), path, *self.form(given))
        body = json.dumps(draw.value(content["application/json"]["schema"])) if content else ""
        return self.client.generic(method.upper(), path, body, content_type="application/json")

    def form(self, given: Mapping[str, Any]) -> tuple[bytes, str]:
        return self.client._encode_data(given, MULTIPART_CONTENT), MULTIPART_CONTENT  # type: ignore[attr-defined]

    def test_no_role_brings_the_server_down(self):
        self.client.raise_request_exception = False
        for number, (method, address, operation) in enumerate(operations()):
            for at, person in enumerate((self.owner, self.operator, self.viewer)):
                # By the place, not by the key of a row: what fails once must fail again.
                draw = Draw(1000 * number + at, self.names)
                for _ in range(effort(4)):
                    with self.subTest(operation=operation["operationId"], role=person.role), transaction.atomic():
                        self.client.force_login(person)
                        answer = self.send(draw, method, address, operation)
                        said = b"" if answer.streaming else answer.content[:300]
                        self.assertLess(answer.status_code, 500, said)
                        if answer.status_code >= 400 and answer.headers["Content-Type"].startswith("application/json"):
                            self.assertEqual(set(answer.json()), {"code", "detail", "fields"})
                        transaction.set_rollback(True)
