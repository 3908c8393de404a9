from typing import Any

from django.db import migrations, models

TIMING = "Valve timing checked on every bank"


def figures_for_words(apps: Any, editor: Any) -> None:
    """The usual line took "left 108, right 117" for an answer; from now on it asks for both figures."""
    apps.get_model("stand", "ListItem").objects.filter(text=TIMING, usual=True, asks="words").update(asks="phase")


def words_again(apps: Any, editor: Any) -> None:
    apps.get_model("stand", "ListItem").objects.filter(text=TIMING, usual=True, asks="phase").update(asks="words")


class Migration(migrations.Migration):
    """A cam phase is measured, and what is out of bounds has the owner's reason."""

    dependencies = [("stand", "0013_unseen_limits")]

    operations = [
        migrations.AlterField(
            model_name="listitem",
            name="asks",
            field=models.CharField(
                blank=True,
                choices=[
                    ("", "Nothing more"),
                    ("words", "A few words"),
                    ("clearance", "Piston to valve, intake and exhaust"),
                    ("phase", "Intake centerline of each bank"),
                ],
                max_length=9,
            ),
        ),
        migrations.AddField(
            model_name="tick",
            name="override_reason",
            field=models.CharField(
                blank=True, default="", help_text="why the owner let it stand out of bounds", max_length=200
            ),
            preserve_default=False,
        ),
        migrations.AlterField(
            model_name="tick",
            name="values",
            field=models.JSONField(default=dict, help_text="what was measured, m or degrees of crank"),
        ),
        migrations.RunPython(figures_for_words, words_again),
    ]
