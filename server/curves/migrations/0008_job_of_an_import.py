"""An import names the job that reads its files by a key; jobs are deleted after a while, and the name goes with them."""

import django.db.models.deletion
from django.db import migrations, models

GONE = "UPDATE curves_import SET job = NULL WHERE job NOT IN (SELECT id FROM jobs_job)"


class Migration(migrations.Migration):
    dependencies = [("curves", "0007_without_curve_json"), ("jobs", "0002_names")]
    operations = [
        migrations.RunSQL(GONE, migrations.RunSQL.noop),
        migrations.AlterField(
            "import",
            "job",
            models.ForeignKey(
                blank=True, help_text="that reads its files", null=True,
                on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="jobs.job",
            ),
        ),
    ]
