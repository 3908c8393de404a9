
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('engines', '0008_trade_words_of_origins'),
        ('stand', '0030_swap_record_and_counts'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='RemovalReading',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(help_text='dimension of the build sheet', max_length=60)),
                ('value', models.FloatField(help_text='SI')),
                ('text', models.CharField(help_text='as it was typed', max_length=60)),
                ('typed', models.CharField(blank=True, help_text='its number', max_length=60)),
                ('unit', models.CharField(blank=True, max_length=16)),
                ('at', models.DateTimeField()),
                ('build', models.ForeignKey(blank=True, help_text='the revision that took it', null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='engines.build')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='removal_readings', to='stand.session')),
            ],
            options={
                'ordering': ['at', 'pk'],
            },
        ),
    ]
