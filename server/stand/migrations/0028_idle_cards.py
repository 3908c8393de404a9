
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0015_mixture_as_question'),
        ('stand', '0027_instruments'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='IdleCard',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('at', models.DateTimeField()),
                ('rpm', models.FloatField(blank=True, null=True)),
                ('manifold_pressure', models.FloatField(blank=True, help_text='Pa, absolute', null=True)),
                ('mixture', models.FloatField(blank=True, help_text='lambda', null=True)),
                ('spark_advance', models.FloatField(blank=True, help_text='° before top dead center', null=True)),
                ('starting', models.CharField(blank=True, choices=[('at_once', 'starts at once'), ('second', 'starts at the second try'), ('hard', 'starts hard')], max_length=9)),
                ('returning', models.CharField(blank=True, choices=[('clean', 'returns to idle clean'), ('hangs', 'hangs above idle'), ('hunts', 'hunts'), ('stalls', 'stalls')], max_length=9)),
                ('low_pull', models.CharField(blank=True, choices=[('clean', 'pulls clean from low rpm'), ('hesitates', 'hesitates at low rpm'), ('bogs', 'bogs at low rpm')], max_length=9)),
                ('hardware_missing', models.BooleanField(default=False, help_text='the idle hardware was not on: not judged')),
                ('note', models.CharField(blank=True, max_length=200)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='idle_cards', to='stand.session')),
                ('setup', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='idle_cards', to='programmes.setup')),
            ],
            options={
                'ordering': ['at', 'pk'],
                'constraints': [models.CheckConstraint(condition=models.Q(('rpm__isnull', False), ('manifold_pressure__isnull', False), ('mixture__isnull', False), ('spark_advance__isnull', False), models.Q(('low_pull', ''), ('note', ''), ('returning', ''), ('starting', ''), _negated=True), ('hardware_missing', True), _connector='OR'), name='idle_card_says_something')],
            },
        ),
    ]
