
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('shop', '0004_a_shop_of_its_own'),
        ('stand', '0026_marks_in_a_pull'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='InstrumentCheck',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('channel', models.CharField(max_length=40)),
                ('kind', models.CharField(choices=[('zero', 'Zero'), ('span', 'Span, weights on an arm'), ('reference', 'Against a reference')], max_length=9)),
                ('at', models.DateTimeField()),
                ('zero', models.FloatField(blank=True, help_text='SI, read where nothing was there to read', null=True)),
                ('error', models.FloatField(blank=True, help_text='share of the reading by which it reads high', null=True)),
                ('uncertainty', models.FloatField(blank=True, help_text='of the error at 95 %, share of the reading', null=True)),
                ('points', models.JSONField(default=list, help_text='kg hung, or SI of the reference, and what was read, SI')),
                ('arm', models.FloatField(blank=True, help_text='m', null=True)),
                ('note', models.CharField(blank=True, max_length=200)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('stand', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='instrument_checks', to='shop.stand')),
            ],
            options={
                'ordering': ['at', 'pk'],
                'constraints': [models.CheckConstraint(condition=models.Q(models.Q(('kind', 'zero'), ('zero__isnull', False)), models.Q(('error__isnull', False), ('kind__in', ['span', 'reference']), ('uncertainty__gt', 0)), _connector='OR'), name='instrument_check_says_what_it_found')],
            },
        ),
        migrations.CreateModel(
            name='InstrumentInterval',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('channel', models.CharField(max_length=40)),
                ('days', models.PositiveSmallIntegerField(blank=True, help_text='null: not asked for', null=True)),
                ('stand', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='instrument_intervals', to='shop.stand')),
            ],
            options={
                'ordering': ['pk'],
                'constraints': [models.UniqueConstraint(fields=('stand', 'channel'), name='instrument_interval_once')],
            },
        ),
    ]
