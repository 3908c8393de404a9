"""The usual item about spilled fuel is due where jets differ between setups, by whatever position; an owner's own stays."""

from django.db import migrations

KINDS = {
    "main_jet": ("primary", "secondary", "front_primary", "front_secondary", "rear_primary", "rear_secondary",
                 "left_bank", "right_bank"),
    **{
        kind: ("primary", "secondary", "front_primary", "front_secondary", "rear_primary", "rear_secondary")
        for kind in ("metering_rod", "power_valve", "air_bleed", "squirter")
    },
}  # fmt: skip
OLD, NEW = "Spilt fuel wiped up, vapour gone", "Spilled fuel wiped up, vapor gone"


def forward(apps, schema_editor):
    keys = [f"setting:{kind}_{position}" for kind, positions in KINDS.items() for position in positions]
    for item in apps.get_model("stand", "ListItem").objects.filter(text=OLD, usual=True):
        item.text, item.slots = NEW, [*item.slots, *(key for key in keys if key not in item.slots)]
        item.save(update_fields=["text", "slots"])


def back(apps, schema_editor):
    for item in apps.get_model("stand", "ListItem").objects.filter(text=NEW, usual=True):
        item.text = OLD
        item.slots = [key for key in item.slots if not key.startswith(tuple(f"setting:{kind}_" for kind in KINDS))]
        item.save(update_fields=["text", "slots"])


class Migration(migrations.Migration):
    dependencies = [("stand", "0022_accepted_when_complete")]

    operations = [migrations.RunPython(forward, back)]
