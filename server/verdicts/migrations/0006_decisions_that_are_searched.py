import django.contrib.postgres.indexes
import django.contrib.postgres.search
from django.conf import settings
from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0020_practice_tests'),
        ('verdicts', '0005_changes_of_a_test'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddIndex(
            model_name='decision',
            index=django.contrib.postgres.indexes.GinIndex(django.contrib.postgres.search.SearchVector('reason', config='english'), name='decision_reason_stems'),
        ),
    ]
