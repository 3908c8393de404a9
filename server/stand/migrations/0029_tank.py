
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('stand', '0028_idle_cards'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='TankReading',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('at', models.DateTimeField()),
                ('volume', models.FloatField(help_text='m³')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tank_readings', to='stand.session')),
            ],
            options={
                'ordering': ['at', 'pk'],
                'constraints': [models.CheckConstraint(condition=models.Q(('volume__gte', 0), ('volume__lte', 10)), name='tank_reading_is_a_volume')],
            },
        ),
    ]
