
import server.config.found
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('clips', '0001_initial'),
    ]

    operations = [
        migrations.AddField(
            model_name='clip',
            name='found_by',
            field=models.GeneratedField(db_persist=True, expression=server.config.found.Plain('name'), output_field=models.TextField()),
        ),
    ]
