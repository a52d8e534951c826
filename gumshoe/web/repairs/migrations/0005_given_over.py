"""The tables stay where they are; only which application they belong to changes."""

from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('repairs', '0004_clearing_begun_and_outcome'),
        ('ledger', '0001_taken_over'),
        ('verdicts', '0001_taken_over'),
        ('proposal', '0001_taken_over'),
        ('proposal', '0002_taken_over'),
        ('work', '0001_taken_over'),
        ('clearing', '0001_taken_over'),
        ('proofs', '0005_taken_over'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.DeleteModel(name='Answer'),
                migrations.DeleteModel(name='Photo'),
                migrations.DeleteModel(name='Work'),
                migrations.DeleteModel(name='LooseEndClosed'),
                migrations.DeleteModel(name='LooseEnd'),
                migrations.DeleteModel(name='ProcedureRun'),
                migrations.DeleteModel(name='Clearing'),
                migrations.DeleteModel(name='ClearingOutcome'),
                migrations.DeleteModel(name='ClearingBegun'),
                migrations.DeleteModel(name='Line'),
                migrations.DeleteModel(name='Review'),
                migrations.DeleteModel(name='RootCause'),
                migrations.DeleteModel(name='Verdict'),
            ],
        ),
    ]
