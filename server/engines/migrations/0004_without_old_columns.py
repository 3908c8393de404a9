from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('engines', '0003_fill_readings'),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='build',
            name='build_dimensions_above_zero',
        ),
        migrations.RemoveConstraint(
            model_name='build',
            name='build_has_two_or_four_strokes',
        ),
        migrations.RemoveConstraint(
            model_name='part',
            name='part_runner_length_above_zero',
        ),
        migrations.RemoveField(
            model_name='build',
            name='bore',
        ),
        migrations.RemoveField(
            model_name='build',
            name='cylinders',
        ),
        migrations.RemoveField(
            model_name='build',
            name='redline_rpm',
        ),
        migrations.RemoveField(
            model_name='build',
            name='stroke',
        ),
        migrations.RemoveField(
            model_name='build',
            name='strokes_per_cycle',
        ),
        migrations.RemoveField(
            model_name='part',
            name='runner_length',
        ),
    ]
