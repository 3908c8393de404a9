"""American spelling of the slot and of its dimensions. What a person wrote keeps his spelling."""

from django.conf import settings
from django.db import migrations, models

# A revision that was used is closed to every change but this one of spelling.
SPELL = """
ALTER TABLE engines_buildreading DISABLE TRIGGER build_used_is_closed;
UPDATE engines_buildreading SET dimension = replace(dimension, '{0}', '{1}') WHERE dimension LIKE '{0}%';
ALTER TABLE engines_buildreading ENABLE TRIGGER build_used_is_closed;
UPDATE engines_partreading SET dimension = replace(dimension, '{0}', '{1}') WHERE dimension LIKE '{0}%';
UPDATE engines_part SET slot = '{1}' WHERE slot = '{0}';
"""


class Migration(migrations.Migration):
    dependencies = [
        ("engines", "0006_archive"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name="part",
            name="part_slot_is_known",
        ),
        migrations.RunSQL(SPELL.format("carburettor", "carburetor"), SPELL.format("carburetor", "carburettor")),
        migrations.AlterField(
            model_name="part",
            name="slot",
            field=models.CharField(
                choices=[
                    ("intake_manifold", "Intake manifold"),
                    ("upper_intake", "Upper intake"),
                    ("lower_intake", "Lower intake"),
                    ("carburetor", "Carburetor"),
                    ("throttle_body", "Throttle body"),
                    ("spacer", "Spacer"),
                    ("adapter", "Adapter"),
                    ("gasket", "Gasket"),
                    ("cylinder_head", "Cylinder head"),
                    ("camshaft", "Camshaft"),
                    ("header", "Header"),
                    ("boost_control", "Boost control"),
                    ("pulley", "Pulley"),
                    ("air_cleaner", "Air cleaner"),
                    ("other", "Other"),
                ],
                max_length=30,
            ),
        ),
        migrations.AddConstraint(
            model_name="part",
            constraint=models.CheckConstraint(
                condition=models.Q(
                    (
                        "slot__in",
                        [
                            "intake_manifold",
                            "upper_intake",
                            "lower_intake",
                            "carburetor",
                            "throttle_body",
                            "spacer",
                            "adapter",
                            "gasket",
                            "cylinder_head",
                            "camshaft",
                            "header",
                            "boost_control",
                            "pulley",
                            "air_cleaner",
                            "other",
                        ],
                    )
                ),
                name="part_slot_is_known",
            ),
        ),
    ]
