"""The tables stay where they are; only which application they belong to changes."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('repairs', '0004_clearing_begun_and_outcome'),
        ('clearing', '0001_taken_over'),
        ('proofs', '0004_tried_by_hand'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    model_name='handtried',
                    name='clearing',
                    field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='handtried', to='clearing.clearing'),
                ),
                migrations.AlterField(
                    model_name='judgement',
                    name='clearing',
                    field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='judgements', to='clearing.clearing'),
                ),
                migrations.AlterField(
                    model_name='proofdrive',
                    name='clearing',
                    field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='drives', to='clearing.clearing'),
                ),
            ],
        ),
    ]
