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
                    name='Answer',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('kind', models.CharField(choices=[('approved', 'approved'), ('refused', 'refused'), ('deferred', 'deferred')], max_length=10)),
                        ('who', models.CharField(max_length=80)),
                        ('how', models.CharField(max_length=40)),
                        ('risk', models.TextField(blank=True)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                    ],
                    options={
                        'db_table': 'repairs_answer',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
                migrations.CreateModel(
                    name='Line',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('kind', models.CharField(choices=[('repair', 'repair'), ('maintenance', 'found on the way')], default='repair', max_length=12)),
                        ('choice', models.PositiveIntegerField(blank=True, null=True)),
                        ('quality', models.CharField(blank=True, max_length=12)),
                        ('scope', models.CharField(blank=True, max_length=14)),
                        ('notes', models.CharField(blank=True, max_length=300)),
                        ('repair', models.CharField(max_length=80)),
                        ('words', models.CharField(max_length=200)),
                        ('component', models.CharField(max_length=80)),
                        ('minutes', models.PositiveIntegerField()),
                        ('parts', models.DecimalField(decimal_places=2, max_digits=9)),
                        ('labour', models.DecimalField(decimal_places=2, max_digits=9)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                    ],
                    options={
                        'db_table': 'repairs_line',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
            ],
        ),
    ]
