
import django.contrib.postgres.fields
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0017_tune_sizes'),
    ]

    operations = [
        migrations.AddField(
            model_name='programme',
            name='fixed_slots',
            field=django.contrib.postgres.fields.ArrayField(base_field=models.CharField(max_length=30), blank=True, default=list, help_text='whose parts the customer keeps', size=None),
        ),
    ]
