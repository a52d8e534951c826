"""The tables stay where they are; only which application they belong to changes."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('repairs', '0004_clearing_begun_and_outcome'),
        ('proposal', '0001_taken_over'),
        ('verdicts', '0001_taken_over'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AddField(
                    model_name='line',
                    name='verdict',
                    field=models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='lines', to='verdicts.verdict'),
                ),
                migrations.AddField(
                    model_name='answer',
                    name='line',
                    field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='answers', to='proposal.line'),
                ),
            ],
        ),
    ]
