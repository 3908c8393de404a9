
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('stand', '0029_tank'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='change',
            name='gasket',
            field=models.CharField(blank=True, help_text='which, and whether it is new', max_length=120),
        ),
        migrations.AddField(
            model_name='change',
            name='milling',
            field=models.CharField(blank=True, help_text='what was taken off, and where', max_length=120),
        ),
        migrations.AddField(
            model_name='change',
            name='sealer',
            field=models.CharField(blank=True, max_length=120),
        ),
        migrations.AddField(
            model_name='openjob',
            name='fastened',
            field=models.PositiveSmallIntegerField(blank=True, help_text='fasteners done', null=True),
        ),
        migrations.AddField(
            model_name='openjob',
            name='fasteners',
            field=models.PositiveSmallIntegerField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='openjob',
            name='stage',
            field=models.PositiveSmallIntegerField(blank=True, help_text='of the torque sequence, reached', null=True),
        ),
        migrations.AddField(
            model_name='openjob',
            name='stages',
            field=models.PositiveSmallIntegerField(blank=True, null=True),
        ),
        migrations.AddConstraint(
            model_name='openjob',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(models.Q(('stage__isnull', True), ('stages__isnull', True)), ('stage__lte', models.F('stages')), _connector='OR'), models.Q(models.Q(('fastened__isnull', True), ('fasteners__isnull', True)), ('fastened__lte', models.F('fasteners')), _connector='OR')), name='open_job_is_at_most_done'),
        ),
    ]
