# Readings of mesh files; files are stored as they are: trying to compress them took longer than everything else.

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('studio', '0005_project_limits'),
    ]

    operations = [
        migrations.CreateModel(
            name='MeshReading',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('ending', models.CharField(max_length=5)),
                ('version', models.PositiveIntegerField()),
                ('stage', models.CharField(default='waiting', max_length=10)),
                ('share', models.FloatField(default=0.0)),
                ('sentence', models.CharField(default='', max_length=400)),
                ('data', models.BinaryField(default=b'')),
                ('touched_at', models.DateTimeField(auto_now_add=True)),
                ('file', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='readings', to='studio.storedfile')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('file', 'ending', 'version'), name='one_reading_a_file')],
            },
        ),
        migrations.RunSQL(
            [
                f'ALTER TABLE studio_{table} ALTER COLUMN data SET STORAGE EXTERNAL'
                for table in ('storedfile', 'meshreading', 'parcel', 'referencepicture')
            ],
            [
                f'ALTER TABLE studio_{table} ALTER COLUMN data SET STORAGE EXTENDED'
                for table in ('storedfile', 'parcel', 'referencepicture')
            ],
        ),
    ]
