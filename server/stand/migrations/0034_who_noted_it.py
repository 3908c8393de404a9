"""A note that nobody wrote may be of the bench worker or of the watch over a recorder."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('stand', '0033_sample_steps'),
    ]

    operations = [
        migrations.AlterField(
            model_name='note',
            name='kind',
            field=models.CharField(choices=[('heard', 'Heard'), ('seen', 'Seen'), ('smelt', 'Smell'), ('felt', 'Feel'), ('failed_start', 'Failed start'), ('measured', 'Measured on removal'), ('stand', 'Noted by Torvix'), ('other', 'Note')], default='other', max_length=12),
        ),
    ]
