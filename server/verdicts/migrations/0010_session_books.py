"""Books of sessions, frozen as they were issued."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('stand', '0032_words_that_are_searched'),
        ('verdicts', '0009_undecided_pairs'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='SessionBook',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveSmallIntegerField()),
                ('document', models.JSONField(help_text='everything that is printed, in the units it was issued in')),
                ('change', models.CharField(blank=True, help_text='against the version before', max_length=300)),
                ('at', models.DateTimeField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='books', to='stand.session')),
            ],
            options={
                'ordering': ['-number'],
                'constraints': [models.UniqueConstraint(fields=('session', 'number'), name='book_version_once'), models.CheckConstraint(condition=models.Q(('number', 1), models.Q(('change', ''), _negated=True), _connector='OR'), name='book_version_says_what_changed')],
            },
        ),
    ]
