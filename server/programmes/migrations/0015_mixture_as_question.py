from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0014_tune_rule'),
    ]

    operations = [
        migrations.AlterField(
            model_name='programme',
            name='mixture_policy',
            field=models.CharField(choices=[('matched', 'Every setup brought to the same mixture'), ('delivered', 'Every setup as delivered'), ('factor', 'The mixture is part of the question')], default='matched', max_length=10),
        ),
    ]
