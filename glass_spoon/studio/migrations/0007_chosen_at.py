# Files are kept for a while after they were chosen last.

from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('studio', '0006_mesh_readings'),
    ]

    operations = [
        migrations.AlterModelOptions(name='storedfile', options={'ordering': ['-chosen_at', '-id']}),
        migrations.RenameField(model_name='storedfile', old_name='made_at', new_name='chosen_at'),
    ]
