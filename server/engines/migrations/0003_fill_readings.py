"""What stood in columns becomes readings. A reading says who wrote it: for old values, the first person of the shop."""

from django.conf import settings
from django.db import migrations
from django.utils import timezone

COLUMNS = {'bore': 'bore', 'stroke': 'stroke', 'cylinders': 'cylinders', 'redline': 'redline_rpm'}
HOW = 'from the first form of the build sheet'


def fill(apps, schema_editor):
    Build, Part = apps.get_model('engines', 'Build'), apps.get_model('engines', 'Part')
    BuildReading = apps.get_model('engines', 'BuildReading')
    PartReading = apps.get_model('engines', 'PartReading')
    if not Build.objects.exists() and not Part.objects.exists():
        return
    app, model = settings.AUTH_USER_MODEL.split('.')
    person = apps.get_model(app, model).objects.order_by('pk').first()
    if person is None:
        raise RuntimeError('There are engines and no people. Make an owner with manage.py first_owner, then migrate.')
    told = {'origin': 'told', 'how': HOW, 'written_at': timezone.now(), 'written_by': person}
    for build in Build.objects.all():
        for dimension, column in COLUMNS.items():
            BuildReading.objects.create(build=build, dimension=dimension, value=float(getattr(build, column)), **told)
        BuildReading.objects.create(build=build, dimension='cycle', words=str(build.strokes_per_cycle), **told)
    for part in Part.objects.exclude(runner_length=None):
        PartReading.objects.create(part=part, dimension='runner_length', value=part.runner_length, **told)


def empty(apps, schema_editor):
    """The columns still hold what they held; what was written since goes with the tables."""


class Migration(migrations.Migration):

    dependencies = [
        ('engines', '0002_sheets_and_library'),
        ('shop', '0001_initial'),
    ]

    operations = [
        migrations.RunPython(fill, empty),
    ]
