"""How evenly the samples of a stand come."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('stand', '0032_words_that_are_searched'),
    ]

    operations = [
        migrations.AddField(
            model_name='link',
            name='steps',
            field=models.JSONField(default=dict, help_text='how evenly samples come: gaps, longest_s, jitter_s'),
        ),
    ]
