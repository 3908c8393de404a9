"""The session whose recorder wrote the files of an import."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('curves', '0014_printed_sheet'),
        ('stand', '0032_words_that_are_searched'),
    ]

    operations = [
        migrations.AddField(
            model_name='import',
            name='session',
            field=models.OneToOneField(blank=True, help_text="whose stand's recorder wrote them: they become pulls of it", null=True, on_delete=django.db.models.deletion.PROTECT, related_name='recorded', to='stand.session'),
        ),
    ]
