"""A stand that speaks an open standard has a map, by which an adapter reads it."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('shop', '0004_a_shop_of_its_own'),
    ]

    operations = [
        migrations.AddField(
            model_name='stand',
            name='map',
            field=models.TextField(blank=True, help_text='as TOML, by which an adapter reads it (docs/adapters.md)'),
        ),
    ]
