
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0016_tuning_time_and_protected_setups'),
    ]

    operations = [
        migrations.CreateModel(
            name='TuneSize',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=20)),
                ('number', models.FloatField()),
                ('area', models.FloatField(help_text='m²')),
            ],
            options={
                'ordering': ['kind', 'number'],
                'constraints': [models.UniqueConstraint(fields=('kind', 'number'), name='tune_size_once_per_number'), models.CheckConstraint(condition=models.Q(('area__gt', 0), ('number__gt', 0)), name='tune_size_is_a_size')],
            },
        ),
    ]
