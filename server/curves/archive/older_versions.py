"""Programmes that an older Torvix wrote, brought to the version that is read here. One step for each version."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from torvix_core.judging.drift import OF_ENGINE

OLDEST = 1
# What version 2 calls by another name: tables, columns of a table, and what stands in a column.
TABLES_OF_1 = {"wishes": "reduction_overrides", "let_in": "comparability_overrides"}
COLUMNS_OF_1 = {
    "pulls": {"began_with": "start_values", "guarded_by": "active_limits", "holds": "held_speeds"},
    "source_files": {"told": "outcome", "of": "batch"},
    "sheet_links": {"told": "recipient"},
}  # fmt: skip
VALUES_OF_1 = {
    "carburettor": "carburetor", "carburettor_rating": "carburetor_rating", "carburettor_kind": "carburetor_kind",
}  # fmt: skip
# What version 4 calls by another name.
ORIGINS_OF_4 = {"told": "reported", "catalogue": "catalog"}
DIMENSIONS_OF_4 = {"told_ratio": "quoted_ratio", "tyre_radius": "tire_radius", "tyres": "tires"}
FUELS_OF_4 = {f"{kind}_petrol": f"{kind}_gasoline" for kind in ("pump", "premium", "racing")}
RULE_OF_4 = "last_matched"  # pulls of several tunes counted together: nobody could say which stands
RULE_LABEL_OF_4 = "The last one at the mixture target"
LABELS_OF_4 = {"Spark advance": "Ignition timing"}
NEW_IN_5: dict[str, dict[str, Any]] = {  # as it stands for a file that does not know it
    "ticks": {"occasion": None}, "notes": {"rpm": None}, "setups": {"protected": False},
    "changes": {"gasket": "", "sealer": "", "milling": ""},
    "open_jobs": {"stage": None, "stages": None, "fastened": None, "fasteners": None},
    "programmes": {"fixed_slots": []},
    "predictions": {"part": None, "measure": "average_torque", "low_rpm": None, "high_rpm": None},
    "imports": {"session": None},
    "day_rules": {"tuning_min": 0.0, "check_pass_first": False},
}  # fmt: skip
VALUES_IN = {
    "parts": ("slot",), "build_readings": ("dimension",), "part_readings": ("dimension",), "works": ("key", "under"),
    "settings": ("key",), "adjustments": ("key",), "timed_changes": ("keys",), "list_items": ("slots",),
    "plan_versions": ("document",),
}  # fmt: skip


def newest(tables: Mapping[str, Any], version: int) -> dict[str, Any]:
    """The tables of a file of `version` under the names of today. What is no list of rows stays what it is."""
    brought = dict(tables)
    if version < 2:
        brought = {TABLES_OF_1.get(name, name): rows for name, rows in brought.items()}
        for name, rows in brought.items():
            if isinstance(rows, list):
                brought[name] = [_row_of_1(name, row) if isinstance(row, dict) else row for row in rows]
        brought["pull_settings"] = list(_settings_of_1(brought.get("pulls")))
    if version < 3:
        imports = brought.get("imports")
        if isinstance(imports, list):
            brought["imports"] = [{"manifest": [], **row} if isinstance(row, dict) else row for row in imports]
        rows = brought.get("known_scatter")
        if isinstance(rows, list):
            brought["known_scatter"] = [_drift_of_2(row) if isinstance(row, dict) else row for row in rows]
    if version < 5:
        rows = brought.get("programmes")
        if isinstance(rows, list):
            brought["programmes"] = [{"tune_rule": RULE_OF_4, **row} if isinstance(row, dict) else row for row in rows]
        for name, of_4 in (("build_readings", _reading_of_4), ("part_readings", _reading_of_4),
                           ("flow_tables", _reading_of_4), ("plan_versions", _version_of_4)):  # fmt: skip
            rows = brought.get(name)
            if isinstance(rows, list):
                brought[name] = [of_4(row) if isinstance(row, dict) else row for row in rows]
    for name, columns in NEW_IN_5.items():  # also for early files of version 5, which do not have all of them
        rows = brought.get(name)
        if isinstance(rows, list):
            brought[name] = [{**columns, **row} if isinstance(row, dict) else row for row in rows]
    return brought


def _version_of_4(row: dict[str, Any]) -> dict[str, Any]:
    """What changed stood there in words; it follows from the documents now, which name the rule of the tune too."""
    brought = {key: _spelled(value, LABELS_OF_4) for key, value in row.items() if key != "changes"}
    if isinstance(brought.get("document"), dict):
        brought["document"] = {"tune_rule": RULE_LABEL_OF_4, **brought["document"]}
    return brought


def _reading_of_4(row: dict[str, Any]) -> dict[str, Any]:
    brought = dict(row)
    for column, names in (("origin", ORIGINS_OF_4), ("dimension", DIMENSIONS_OF_4)):
        if column in row:
            brought[column] = _spelled(row[column], names)
    if row.get("dimension") == "fuel":
        brought["words"] = _spelled(row.get("words"), FUELS_OF_4)
    return brought


def _drift_of_2(row: dict[str, Any]) -> dict[str, Any]:
    """What a day might hide was twice what was usual; the usual slope and its spread stand apart now."""
    brought = dict(row)
    hidden = brought.pop("drift_per_pull", None)
    usual = hidden / 2 if isinstance(hidden, int | float) else None
    brought["drift_mean"] = None if usual is None else 0.0
    brought["drift_engine_sd"] = None if usual is None else usual * OF_ENGINE**0.5
    brought["drift_day_sd"] = None if usual is None else usual * (1 - OF_ENGINE) ** 0.5
    return brought


def _row_of_1(table: str, row: dict[str, Any]) -> dict[str, Any]:
    columns, spelled = COLUMNS_OF_1.get(table, {}), VALUES_IN.get(table, ())
    return {columns.get(key, key): _spelled(value) if key in spelled else value for key, value in row.items()}


def _settings_of_1(pulls: Any) -> Iterator[dict[str, Any]]:
    """What pulls were set to was a column of them; rows of their own now."""
    number = 0
    for pull in pulls if isinstance(pulls, list) else ():
        settings = pull.get("set_to") if isinstance(pull, dict) else None
        for key, text in settings.items() if isinstance(settings, dict) else ():
            number += 1
            yield {"id": number, "pull": pull.get("id"), "key": _spelled(key), "text": text}


def _spelled(value: Any, names: Mapping[str, str] = VALUES_OF_1) -> Any:
    """Keys as they are spelled now; a text that somebody wrote is none of them and stays."""
    if isinstance(value, str):
        return names.get(value, value)
    if isinstance(value, list):
        return [_spelled(one, names) for one in value]
    if isinstance(value, dict):
        return {_spelled(key, names): _spelled(one, names) for key, one in value.items()}
    return value
