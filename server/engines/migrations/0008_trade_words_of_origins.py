"""Words of the trade for where a value comes from, for fuels and for the quoted ratio. What a person wrote stays."""

from django.conf import settings
from django.db import migrations, models

WORDS = {
    ("engines_buildreading", "origin"): {"told": "reported", "catalogue": "catalog"},
    ("engines_partreading", "origin"): {"told": "reported", "catalogue": "catalog"},
    ("engines_flowtable", "origin"): {"told": "reported", "catalogue": "catalog"},
    ("engines_buildreading", "dimension"): {
        "told_ratio": "quoted_ratio", "tyre_radius": "tire_radius", "tyres": "tires",
    },
    ("engines_buildreading", "words"): {
        f"{kind}_petrol": f"{kind}_gasoline" for kind in ("pump", "premium", "racing")
    },
}
# A revision that was used is closed to every change but this one of words.
CLOSED = ("engines_buildreading", "engines_flowtable")


def rename(forward: bool) -> str:
    steps = [f"ALTER TABLE {table} DISABLE TRIGGER build_used_is_closed" for table in CLOSED]
    for (table, column), words in WORDS.items():
        fuel = " AND dimension = 'fuel'" if column == "words" else ""
        for one, other in words.items() if forward else {new: old for old, new in words.items()}.items():
            steps.append(f"UPDATE {table} SET {column} = '{other}' WHERE {column} = '{one}'{fuel}")
    steps.append("SET CONSTRAINTS ALL IMMEDIATE")  # no table is altered while checks of its rows wait
    steps += [f"ALTER TABLE {table} ENABLE TRIGGER build_used_is_closed" for table in CLOSED]
    return ";\n".join(steps)


class Migration(migrations.Migration):

    dependencies = [
        ('engines', '0007_carburetor'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='buildreading',
            name='build_reading_origin_is_known',
        ),
        migrations.RemoveConstraint(
            model_name='partreading',
            name='part_reading_origin_is_known',
        ),
        migrations.RunSQL(rename(forward=True), rename(forward=False)),
        migrations.AlterField(
            model_name='buildreading',
            name='origin',
            field=models.CharField(choices=[('measured', 'Measured'), ('calculated', 'Calculated'), ('catalog', 'Catalog'), ('reported', 'Reported'), ('assumed', 'Assumed')], max_length=12),
        ),
        migrations.AlterField(
            model_name='flowtable',
            name='origin',
            field=models.CharField(choices=[('measured', 'Measured'), ('calculated', 'Calculated'), ('catalog', 'Catalog'), ('reported', 'Reported'), ('assumed', 'Assumed')], max_length=12),
        ),
        migrations.AlterField(
            model_name='partreading',
            name='origin',
            field=models.CharField(choices=[('measured', 'Measured'), ('calculated', 'Calculated'), ('catalog', 'Catalog'), ('reported', 'Reported'), ('assumed', 'Assumed')], max_length=12),
        ),
        migrations.AddConstraint(
            model_name='buildreading',
            constraint=models.CheckConstraint(condition=models.Q(('origin__in', ['measured', 'calculated', 'catalog', 'reported', 'assumed'])), name='build_reading_origin_is_known'),
        ),
        migrations.AddConstraint(
            model_name='partreading',
            constraint=models.CheckConstraint(condition=models.Q(('origin__in', ['measured', 'calculated', 'catalog', 'reported', 'assumed'])), name='part_reading_origin_is_known'),
        ),
    ]
