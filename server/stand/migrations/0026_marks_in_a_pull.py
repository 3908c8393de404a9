
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('stand', '0025_what_makes_a_line_due'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='note',
            name='rpm',
            field=models.FloatField(blank=True, help_text='engine speed when it was marked in a pull', null=True),
        ),
        migrations.AddConstraint(
            model_name='note',
            constraint=models.CheckConstraint(condition=models.Q(('rpm__isnull', True), models.Q(('pull__isnull', False), ('rpm__gt', 0), ('rpm__lt', 30000)), _connector='OR'), name='note_is_marked_at_a_speed_of_its_pull'),
        ),
    ]
