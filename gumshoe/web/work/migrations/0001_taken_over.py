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
        ('proposal', '0002_taken_over'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name='Photo',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('digest', models.CharField(max_length=64)),
                        ('width', models.PositiveIntegerField()),
                        ('height', models.PositiveIntegerField()),
                        ('words', models.CharField(blank=True, max_length=160)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                        ('line', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='photos', to='proposal.line')),
                    ],
                    options={
                        'db_table': 'repairs_photo',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
                migrations.CreateModel(
                    name='Work',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('at', models.DateTimeField(default=django.utils.timezone.now, editable=False)),
                        ('part_number', models.CharField(blank=True, max_length=60)),
                        ('part_make', models.CharField(blank=True, max_length=60)),
                        ('minutes_taken', models.PositiveIntegerField(blank=True, null=True)),
                        ('remark', models.CharField(blank=True, max_length=300)),
                        ('price', models.DecimalField(blank=True, decimal_places=2, max_digits=9, null=True)),
                        ('warranty_months', models.PositiveIntegerField(blank=True, null=True)),
                        ('warranty_km', models.PositiveIntegerField(blank=True, null=True)),
                        ('odometer_km', models.PositiveIntegerField(blank=True, null=True)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('case', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='%(class)ss', to='cases.case')),
                        ('line', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='works', to='proposal.line')),
                    ],
                    options={
                        'db_table': 'repairs_work',
                        'ordering': ('at', 'pk'),
                        'abstract': False,
                    },
                ),
            ],
        ),
    ]
