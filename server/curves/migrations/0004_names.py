"""Fields and tables get the names of the field. Nothing but names changes."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("curves", "0003_files_and_comparability"), ("stand", "0017_names")]
    operations = [
        migrations.RenameField("sourcefile", "told", "outcome"),
        migrations.RenameField("sourcefile", "of", "batch"),
        migrations.RenameModel("Wish", "ReductionOverride"),
        migrations.RenameModel("LetIn", "ComparabilityOverride"),
        migrations.AlterField(
            model_name="comparabilityoverride",
            name="pull",
            field=models.OneToOneField(
                on_delete=django.db.models.deletion.CASCADE, related_name="comparability_override", to="stand.pull"
            ),
        ),
        migrations.AlterField(
            model_name="reductionoverride",
            name="pull",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="reduction_overrides", to="stand.pull"
            ),
        ),
    ]
