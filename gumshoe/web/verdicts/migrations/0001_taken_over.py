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
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name='Verdict',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('suspect', models.CharField(max_length=80)),
                        ('words', models.CharField(max_length=200)),
                        ('probability', models.FloatField()),
                        ('guess', models.BooleanField()),
                        ('standing', models.TextField()),
                        ('root_cause', models.CharField(blank=True, max_length=200)),
                        ('proof', models.JSONField(default=list)),
                        ('condemning', models.JSONField(default=list)),
                        ('dropped', models.JSONField(default=list)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                    ],
                    options={
                        'db_table': 'repairs_verdict',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
                migrations.CreateModel(
                    name='RootCause',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('suspect', models.CharField(blank=True, max_length=80)),
                        ('words', models.CharField(max_length=200)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                        ('verdict', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='causes', to='verdicts.verdict')),
                    ],
                    options={
                        'db_table': 'repairs_rootcause',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
                migrations.CreateModel(
                    name='Review',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('kind', models.CharField(choices=[('countersigned', 'countersigned'), ('sent back', 'sent back')], max_length=14)),
                        ('reason', models.CharField(blank=True, max_length=300)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                        ('verdict', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='reviews', to='verdicts.verdict')),
                    ],
                    options={
                        'db_table': 'repairs_review',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
            ],
        ),
    ]
