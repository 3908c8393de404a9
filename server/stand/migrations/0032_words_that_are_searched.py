import django.contrib.postgres.indexes
import django.contrib.postgres.search
import django.db.models.functions.text
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('engines', '0009_names_that_are_searched'),
        ('programmes', '0020_practice_tests'),
        ('stand', '0031_removal_readings'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddIndex(
            model_name='note',
            index=django.contrib.postgres.indexes.GinIndex(django.contrib.postgres.indexes.OpClass(django.db.models.functions.text.Upper('text'), name='gin_trgm_ops'), name='note_text_words'),
        ),
        migrations.AddIndex(
            model_name='note',
            index=django.contrib.postgres.indexes.GinIndex(django.contrib.postgres.search.SearchVector('text', config='english'), name='note_text_stems'),
        ),
        migrations.AddIndex(
            model_name='pull',
            index=models.Index(condition=models.Q(('ended_why', ''), ('excluded_reason', ''), ('override_reason', ''), ('source', ''), _negated=True), fields=['session'], name='pull_says_something'),
        ),
    ]
