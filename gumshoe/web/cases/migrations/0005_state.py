from typing import Any

import django.db.models.deletion
import gumshoe.web.kit.memo
from django.db import migrations, models


def of_every_case(apps: Any, _editor: Any) -> None:
    """Each case that is there gets a state of its own."""
    state, case = apps.get_model("cases", "State"), apps.get_model("cases", "Case")
    rows = case.objects.values_list("pk", flat=True)
    state.objects.bulk_create(state(case_id=pk, number=gumshoe.web.kit.memo.fresh()) for pk in rows)


class Migration(migrations.Migration):

    dependencies = [
        ('cases', '0004_lamp_not_preset'),
    ]

    operations = [
        migrations.CreateModel(
            name='State',
            fields=[
                ('case', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='state', serialize=False, to='cases.case')),
                ('number', models.BigIntegerField(default=gumshoe.web.kit.memo.fresh)),
            ],
        ),
        migrations.RunPython(of_every_case, migrations.RunPython.noop),
    ]
