# One row for all jobs, with a kind, in place of parcels and readings. Readings that are done are taken over; files to be
# fetched lived for an hour and are asked for again.

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

TAKE_OVER = """
INSERT INTO studio_job (kind, file_id, "order", stage, share, sentence, outcome, data, size, made_at, touched_at)
SELECT 'read a mesh', file_id, jsonb_build_object('ending', ending, 'version', version), stage, share, sentence, '{}', data,
       length(data), touched_at, touched_at
FROM studio_meshreading WHERE stage IN ('ready', 'failed', 'stopped')
"""


class Migration(migrations.Migration):

    dependencies = [
        ('studio', '0009_sessions'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Job',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=20)),
                ('token', models.CharField(max_length=40, null=True, unique=True)),
                ('order', models.JSONField(default=dict)),
                ('stage', models.CharField(default='waiting', max_length=20)),
                ('share', models.FloatField(default=0.0)),
                ('sentence', models.CharField(default='', max_length=400)),
                ('outcome', models.JSONField(default=dict)),
                ('data', models.BinaryField(default=b'')),
                ('size', models.BigIntegerField(default=0)),
                ('queued', models.BigIntegerField(null=True)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('touched_at', models.DateTimeField(auto_now_add=True)),
                ('file', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='jobs', to='studio.storedfile')),
                ('part', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='jobs', to='studio.part')),
                ('user', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-made_at', '-id'],
                'constraints': [models.UniqueConstraint(fields=('kind', 'file', 'order'), name='one_job_a_file')],
            },
        ),
        migrations.RunSQL('ALTER TABLE studio_job ALTER COLUMN data SET STORAGE EXTERNAL', migrations.RunSQL.noop),
        migrations.RunSQL(TAKE_OVER, migrations.RunSQL.noop),
        migrations.DeleteModel(name='MeshReading'),
        migrations.DeleteModel(name='Parcel'),
    ]
