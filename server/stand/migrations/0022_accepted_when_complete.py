"""The words of a refusal; the promise is the same."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('stand', '0021_trade_words'),
    ]

    operations = [
        migrations.AlterConstraint(
            model_name='pull',
            name='pull_kept_only_if_complete',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('standing', 'accepted'), _negated=True), ('state', 'complete'), _connector='OR'), name='pull_kept_only_if_complete', violation_error_message='Only a complete pull can be accepted.'),
        ),
    ]
