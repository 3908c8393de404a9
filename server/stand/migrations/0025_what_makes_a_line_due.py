"""A line of the list is due again after each stop, retune and first heat; shops that have the usual list get its lines."""

from django.conf import settings
from django.db import migrations, models

CAM_OR_HEAD = ["camshaft", "cylinder_head"]
# text, moment, slots, what the tick asks for, the usual line behind which it stands
LINES = (
    ("Valve lash set, cold, with the new part", "change", CAM_OR_HEAD, "words", "Valve timing checked on every bank"),
    ("Fuel and ignition on, oil and coolant in, electric pumps run", "start", [], "", ""),
    ("Starter clear, nobody in the plane of rotation", "start", [], "", ""),
)


def forward(apps, schema_editor):
    items = apps.get_model("stand", "ListItem").objects
    if not items.filter(usual=True).exists():
        return  # an empty shop writes the whole list when somebody looks
    for text, moment, slots, asks, behind in LINES:
        after = items.filter(usual=True, text=behind).first() or items.order_by("position").last()
        items.create(text=text, moment=moment, slots=slots, asks=asks, usual=True, position=after.position)


def back(apps, schema_editor):
    items = apps.get_model("stand", "ListItem").objects.filter(usual=True, text__in=[line[0] for line in LINES])
    apps.get_model("stand", "Tick").objects.filter(item__in=items).delete()
    items.delete()
    # Only the newest tick of a line is known to the code before.
    seen = set()
    for tick in apps.get_model("stand", "Tick").objects.order_by("-at"):
        key = (tick.session_id, tick.item_id, tick.change_id)
        if key in seen:
            tick.delete()
        seen.add(key)


class Migration(migrations.Migration):

    dependencies = [
        ('stand', '0024_check_pass'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='tick',
            name='ticked_once',
        ),
        migrations.AddField(
            model_name='link',
            name='stopped_at',
            field=models.DateTimeField(blank=True, help_text='when the engine last came to a standstill', null=True),
        ),
        migrations.AddField(
            model_name='tick',
            name='occasion',
            field=models.DateTimeField(blank=True, help_text='what made it due once more: a stop, a retune, the end of a break-in', null=True),
        ),
        migrations.AlterField(
            model_name='listitem',
            name='moment',
            field=models.CharField(choices=[('session', 'Before the first pull of a session'), ('change', 'After a change of parts'), ('start', 'Before every new start'), ('break_in', 'After the break-in, and after the first heat on another cam or head')], max_length=8),
        ),
        migrations.RunPython(forward, back),
        migrations.AddConstraint(
            model_name='tick',
            constraint=models.UniqueConstraint(fields=('session', 'item', 'change', 'occasion'), name='ticked_once', nulls_distinct=False),
        ),
    ]
