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
                    name='LooseEnd',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('what', models.CharField(max_length=160)),
                        ('component', models.CharField(blank=True, max_length=80)),
                        ('did', models.CharField(choices=[('off', 'unplugged'), ('removed', 'removed'), ('jumped', 'jumped'), ('drained', 'drained'), ('flat', 'went flat')], default='off', max_length=8)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                    ],
                    options={
                        'db_table': 'repairs_looseend',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
                migrations.CreateModel(
                    name='LooseEndClosed',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('overruled', models.CharField(blank=True, max_length=300)),
                        ('key_on', models.BooleanField(blank=True, null=True)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                        ('end', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='closed', to='ledger.looseend')),
                    ],
                    options={
                        'db_table': 'repairs_looseendclosed',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
            ],
        ),
    ]
