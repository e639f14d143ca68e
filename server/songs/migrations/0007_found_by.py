
import django.db.models.functions.text
import server.config.found
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('songs', '0006_ducker_words'),
    ]

    operations = [
        migrations.AddField(
            model_name='song',
            name='found_by',
            field=models.GeneratedField(db_persist=True, expression=server.config.found.Plain(django.db.models.functions.text.Concat('title', models.Value(' '), 'players', output_field=models.TextField())), output_field=models.TextField()),
        ),
    ]
