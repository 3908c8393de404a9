"""The folder of a recorder, of a stand that has no line."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('shop', '0005_stand_map'),
    ]

    operations = [
        migrations.AddField(
            model_name='stand',
            name='recorder',
            field=models.CharField(blank=True, help_text='folder into which its recorder writes files, where it has no line', max_length=400),
        ),
    ]
