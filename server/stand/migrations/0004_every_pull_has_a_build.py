import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('stand', '0003_weather_log_and_build'),
    ]

    operations = [
        migrations.AlterField(
            model_name='pull',
            name='build',
            field=models.ForeignKey(help_text='what it was made with', on_delete=django.db.models.deletion.PROTECT, related_name='pulls', to='engines.build'),
        ),
    ]
