
import django.contrib.postgres.fields
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0019_predictions_by_case'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='PracticeTest',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('engine', models.CharField(choices=[('six', '2.9 L six with carburetors'), ('four', '2.0 L four with a turbocharger'), ('eight', '5.7 L eight with a carburetor or a blower')], help_text='that stands on the stand', max_length=5)),
                ('seed', models.CharField(help_text='for the simulated stand alone', max_length=32)),
                ('traits', django.contrib.postgres.fields.ArrayField(base_field=models.CharField(choices=[('drift', 'The engine drifts from pull to pull'), ('curved_drift', 'It loses much while it warms through, then little'), ('cold_starts', 'It cools down with every change of parts'), ('wash', 'Two of the parts are worth the same'), ('confounded', 'Two parts are changed at once'), ('boost_miss', 'The boost is missed with one of the parts (turbocharged four)')], max_length=12), default=list, size=None)),
                ('is_surprise', models.BooleanField(default=False, help_text='the traits were drawn, and are hidden too')),
                ('made_at', models.DateTimeField()),
                ('revealed_at', models.DateTimeField(blank=True, null=True)),
                ('outcome', models.JSONField(blank=True, default=dict)),
                ('made_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('programme', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='practice', to='programmes.programme')),
                ('revealed_by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-made_at', '-pk'],
                'constraints': [models.CheckConstraint(condition=models.Q(models.Q(('revealed_at__isnull', True), ('revealed_by__isnull', True)), models.Q(('revealed_at__isnull', False), ('revealed_by__isnull', False)), _connector='OR'), name='practice_is_revealed_by_somebody')],
            },
        ),
    ]
