
import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('clips', '0002_found_by'),
        ('log', '0003_found_by'),
        ('songs', '0007_found_by'),
    ]

    operations = [
        migrations.CreateModel(
            name='NotePicture',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('place', models.PositiveSmallIntegerField(default=0, help_text='Among those of its note')),
                ('kind', models.CharField(choices=[('jpeg', 'JPEG'), ('png', 'PNG')], max_length=4)),
                ('width', models.PositiveSmallIntegerField()),
                ('height', models.PositiveSmallIntegerField()),
                ('small', models.BinaryField(help_text='A JPEG to be shown in a row')),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('blob', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='clips.blob')),
                ('entry', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='pictures', to='log.logentry')),
                ('song', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='pictures', to='songs.song')),
            ],
            options={
                'ordering': ['place', 'created_at', 'id'],
            },
        ),
    ]
