"""Pictures of printed tables, and what was read off them."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('curves', '0013_archive_upload'),
        ('jobs', '0003_what_a_job_is_about'),
        ('programmes', '0020_practice_tests'),
        ('stand', '0032_words_that_are_searched'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='PrintedSheet',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=200)),
                ('sha256', models.CharField(help_text='of the file as it was sent', max_length=64)),
                ('picture', models.BinaryField(help_text='JPEG')),
                ('turned', models.PositiveSmallIntegerField(default=0, help_text='quarters clockwise that bring it upright')),
                ('page', models.BinaryField(blank=True, help_text='JPEG of what was read, straightened', null=True)),
                ('table', models.JSONField(default=dict)),
                ('at', models.DateTimeField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('job', models.ForeignKey(blank=True, help_text='that reads it', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='jobs.job')),
                ('programme', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='printed_sheets', to='programmes.programme')),
                ('pull', models.OneToOneField(blank=True, help_text='that it became', null=True, on_delete=django.db.models.deletion.PROTECT, related_name='printed_sheet', to='stand.pull')),
            ],
            options={
                'ordering': ['-pk'],
                'constraints': [models.CheckConstraint(condition=models.Q(('turned__lte', 3)), name='sheet_is_turned_by_quarters'), models.CheckConstraint(condition=models.Q(('pull__isnull', True), ('page__isnull', False), _connector='OR'), name='sheet_of_a_pull_was_read')],
            },
        ),
    ]
