
import server.config.found
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('rigs', '0008_words_alone'),
    ]

    operations = [
        migrations.AddField(
            model_name='rig',
            name='found_by',
            field=models.GeneratedField(db_persist=True, expression=server.config.found.Plain('name'), output_field=models.TextField()),
        ),
    ]
