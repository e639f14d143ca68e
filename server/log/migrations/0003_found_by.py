
import django.db.models.functions.text
import server.config.found
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('log', '0002_entries'),
    ]

    operations = [
        migrations.AddField(
            model_name='logentry',
            name='found_by',
            field=models.GeneratedField(db_persist=True, expression=server.config.found.Plain(django.db.models.functions.text.Concat('title', models.Value(' '), 'kind', models.Value(' '), 'text', models.Value(' '), 'number', output_field=models.TextField())), output_field=models.TextField()),
        ),
    ]
