from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('stand', '0023_fuel_at_every_jet'),
    ]

    operations = [
        migrations.AlterField(
            model_name='pull',
            name='purpose',
            field=models.CharField(choices=[('check', 'Check pass'), ('sweep', 'Counted pull'), ('warm_up', 'Warm-up pull'), ('shake_down', 'Shake-down'), ('break_in', 'Break-in'), ('steps', 'Step test')], default='sweep', max_length=10),
        ),
    ]
