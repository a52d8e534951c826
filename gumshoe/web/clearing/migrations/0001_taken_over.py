"""The tables stay where they are; only which application they belong to changes."""

import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('repairs', '0004_clearing_begun_and_outcome'),
        ('cases', '0004_lamp_not_preset'),
        ('scans', '0003_vin_answer'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name='ClearingBegun',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('modules', models.JSONField(default=list)),
                        ('triage', models.BooleanField(default=False)),
                        ('before', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='scans.scan')),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                    ],
                    options={
                        'db_table': 'repairs_clearingbegun',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
                migrations.CreateModel(
                    name='Clearing',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('modules', models.JSONField(default=list)),
                        ('triage', models.BooleanField(default=False)),
                        ('by_itself', models.BooleanField(default=False)),
                        ('expected', models.JSONField(default=list)),
                        ('after', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='scans.scan')),
                        ('before', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='scans.scan')),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                        ('begun', models.OneToOneField(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='clearing', to='clearing.clearingbegun')),
                    ],
                    options={
                        'db_table': 'repairs_clearing',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
                migrations.CreateModel(
                    name='ClearingOutcome',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('modules', models.JSONField(default=list)),
                        ('begun', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='outcome', to='clearing.clearingbegun')),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                    ],
                    options={
                        'db_table': 'repairs_clearingoutcome',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
                migrations.CreateModel(
                    name='ProcedureRun',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('procedure', models.CharField(max_length=60)),
                        ('words', models.CharField(max_length=160)),
                        ('because', models.CharField(blank=True, max_length=200)),
                        ('outcome', models.CharField(choices=[('done', 'done'), ('aborted', 'aborted'), ('refused', 'refused'), ('link lost', 'link lost'), ('by hand', 'made by hand')], max_length=10)),
                        ('reason', models.CharField(blank=True, max_length=300)),
                        ('left', models.CharField(blank=True, max_length=300)),
                        ('conditions', models.JSONField(default=list)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                    ],
                    options={
                        'db_table': 'repairs_procedurerun',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
            ],
        ),
    ]
