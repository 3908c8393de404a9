"""Words of the trade for what is noted, for a job on the engine, and for a pull that is accepted or excluded."""

from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('engines', '0007_carburetor'),
        ('programmes', '0011_what_is_expected_where'),
        ('stand', '0020_without_pull_json'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AlterField(
            model_name='note',
            name='kind',
            field=models.CharField(choices=[('heard', 'Heard'), ('seen', 'Seen'), ('smelt', 'Smell'), ('felt', 'Feel'), ('failed_start', 'Failed start'), ('measured', 'Measured on removal'), ('stand', 'Noted by the bench worker'), ('other', 'Note')], default='other', max_length=12),
        ),
        migrations.AlterField(
            model_name='openjob',
            name='kind',
            field=models.CharField(choices=[('fasteners', 'Fasteners started, not finished'), ('torque', 'Torque sequence, not through all stages'), ('wire', 'Temporary wire or lock fitted'), ('tools', 'Intake open: account for tools, remove swarf'), ('leaks', 'Refitted: leaks to be checked'), ('clearance', 'Cam or head changed: piston to valve to be measured'), ('lash', 'Broken in: valve lash to be set'), ('other', 'Other')], max_length=10),
        ),
        migrations.AlterField(
            model_name='pull',
            name='standing',
            field=models.CharField(choices=[('undecided', 'Not judged'), ('accepted', 'Accepted'), ('excluded', 'Excluded')], default='undecided', max_length=10),
        ),
        migrations.AlterConstraint(
            model_name='pull',
            name='pull_exclusion_has_a_reason',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('standing', 'excluded'), _negated=True), models.Q(('excluded_reason', ''), _negated=True), _connector='OR'), name='pull_exclusion_has_a_reason', violation_error_message='Say why the pull is excluded.'),
        ),
    ]
