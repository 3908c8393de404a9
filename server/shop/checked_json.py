"""JSON in the database that keeps its shape: one pydantic type checks it on its way in and on its way out."""

from __future__ import annotations

from typing import Annotated, Any

from django.db import models
from django.db.backends.base.base import BaseDatabaseWrapper
from pydantic import Field, JsonValue, TypeAdapter, ValidationError

Finite = Annotated[float, Field(allow_inf_nan=False)]
JsonObject = dict[str, JsonValue]


class CheckedJSONField(models.JSONField):
    """A JSONField of one shape. What does not have it is refused with the name of the field, and never kept.

    For migrations it is a plain JSONField: the shape belongs to the code of today, the column does not change with it.
    """

    def __init__(self, *args: Any, shape: Any = JsonValue, **options: Any) -> None:
        self.adapter: TypeAdapter[Any] = TypeAdapter(shape)
        super().__init__(*args, **options)

    def deconstruct(self) -> Any:
        name, _, args, options = super().deconstruct()
        return name, "django.db.models.JSONField", args, options

    def get_db_prep_save(self, value: Any, connection: BaseDatabaseWrapper) -> Any:
        """What is saved; a value that a filter compares a part of it with is none."""
        if value is not None and not hasattr(value, "as_sql"):
            value = self.plain(self._checked(value, "cannot be kept"))
        return super().get_db_prep_save(value, connection)

    def plain(self, value: Any) -> Any:
        """A value as plain JSON: models of its shape as objects."""
        return self.adapter.dump_python(value, mode="json")

    def from_db_value(self, value: Any, expression: Any, connection: BaseDatabaseWrapper) -> Any:
        found = super().from_db_value(value, expression, connection)
        # A part that a query asks for is not the whole, and has another shape.
        whole = found is not None and not isinstance(expression, models.fields.json.KeyTransform)
        return self._checked(found, "is not what it should be") if whole else found

    def _checked(self, value: Any, trouble: str) -> Any:
        try:
            return self.adapter.validate_python(value)
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(map(str, (self.model._meta.label, self.name, *first["loc"])))
            raise ValueError(f"{where} {trouble}: {first['msg']}") from error
