"""Handover sheets, frozen as they were issued."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0020_practice_tests'),
        ('verdicts', '0010_session_books'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='HandoverSheet',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveSmallIntegerField()),
                ('document', models.JSONField(help_text='everything that is printed, in the units it was issued in')),
                ('change', models.CharField(blank=True, help_text='against the version before', max_length=300)),
                ('at', models.DateTimeField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('programme', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='handovers', to='programmes.programme')),
                ('setup', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='programmes.setup')),
            ],
            options={
                'ordering': ['-number'],
                'constraints': [models.UniqueConstraint(fields=('programme', 'number'), name='handover_version_once'), models.CheckConstraint(condition=models.Q(('number', 1), models.Q(('change', ''), _negated=True), _connector='OR'), name='handover_version_says_what_changed')],
            },
        ),
    ]
