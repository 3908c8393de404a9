import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('engines', '0009_names_that_are_searched'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='DistinctParts',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('at', models.DateTimeField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('one', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='engines.part')),
                ('other', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='engines.part')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('one', 'other'), name='distinct_parts_once'), models.CheckConstraint(condition=models.Q(('other__gt', models.F('one'))), name='distinct_parts_in_order')],
            },
        ),
    ]
