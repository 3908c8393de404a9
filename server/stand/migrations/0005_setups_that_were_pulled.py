"""What is expected of a setup is sealed once it is armed; those that were armed before are marked so."""

from django.db import migrations


def fill(apps, schema_editor):
    Pull, Setup = apps.get_model('stand', 'Pull'), apps.get_model('programmes', 'Setup')
    Setup.objects.filter(pk__in=Pull.objects.values('setup')).update(pulled=True)


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0003_expectations'),
        ('stand', '0004_every_pull_has_a_build'),
    ]

    operations = [
        migrations.RunPython(fill, migrations.RunPython.noop),
    ]
