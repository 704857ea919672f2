# The tables of chores.

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('hosts', '0011_planned_end'),
        ('work', '0003_running'),
    ]

    operations = [
        migrations.CreateModel(
            name='Chore',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('script', models.TextField()),
                ('shell', models.CharField(blank=True, max_length=40)),
                ('wanted', models.JSONField(default=list)),
                ('at_once', models.PositiveIntegerField(default=1)),
                ('stop_after', models.PositiveIntegerField(default=1)),
                ('drain', models.BooleanField(default=True)),
                ('time_limit', models.PositiveIntegerField(default=3600)),
                ('name', models.CharField(max_length=100)),
                ('purpose', models.CharField(blank=True, max_length=500)),
                ('kept', models.BooleanField(default=True)),
                ('made_by', models.CharField(max_length=200)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
            ],
            options={
                'ordering': ['-id'],
            },
        ),
        migrations.CreateModel(
            name='ChoreRun',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('script', models.TextField()),
                ('shell', models.CharField(blank=True, max_length=40)),
                ('wanted', models.JSONField(default=list)),
                ('at_once', models.PositiveIntegerField(default=1)),
                ('stop_after', models.PositiveIntegerField(default=1)),
                ('drain', models.BooleanField(default=True)),
                ('time_limit', models.PositiveIntegerField(default=3600)),
                ('chosen_by', models.CharField(blank=True, max_length=2000)),
                ('state', models.CharField(choices=[('waiting for approval', 'waiting for approval'), ('rolling', 'rolling'), ('ended', 'ended'), ('stopped', 'stopped'), ('turned down', 'turned down')], db_index=True, max_length=30)),
                ('asked_by', models.CharField(max_length=200)),
                ('asked_at', models.DateTimeField()),
                ('approved_by', models.CharField(blank=True, max_length=200)),
                ('stopped_by', models.CharField(blank=True, max_length=200)),
                ('ended_at', models.DateTimeField(null=True)),
                ('chore', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='runs', to='chores.chore')),
            ],
            options={
                'ordering': ['-id'],
            },
        ),
        migrations.CreateModel(
            name='ChoreHost',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('place', models.PositiveIntegerField()),
                ('state', models.CharField(choices=[('waiting', 'waiting'), ('draining', 'draining'), ('running', 'running'), ('surveying', 'surveying'), ('done', 'done'), ('ran but not there', 'ran but not there'), ('failed', 'failed'), ('could not reach', 'could not reach'), ('left out', 'left out')], default='waiting', max_length=30)),
                ('said', models.CharField(blank=True, max_length=2000)),
                ('drained', models.BooleanField(default=False)),
                ('changed', models.JSONField(default=list)),
                ('missing', models.JSONField(default=list)),
                ('began_at', models.DateTimeField(null=True)),
                ('ran_at', models.DateTimeField(null=True)),
                ('asked_at', models.DateTimeField(null=True)),
                ('surveyed_at', models.DateTimeField(null=True)),
                ('ended_at', models.DateTimeField(null=True)),
                ('host', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='hosts.host')),
                ('job', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='chore_hosts', to='work.job')),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='hosts', to='chores.chorerun')),
            ],
            options={
                'ordering': ['place'],
            },
        ),
    ]
