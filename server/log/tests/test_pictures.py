"""Pictures of notes: taken by what they are, upright, small enough, with nothing else in them."""

import io
from datetime import timedelta
from unittest import mock

from django.utils import timezone
from PIL import Image

from server.clips.store import path_of, scratch_folder
from server.log.models import LogEntry, NotePicture
from server.testing import ApiCase, person, picture_bytes, song_for


class Pictures(ApiCase):
    def send(self, data: bytes, kind: str = "image/png"):
        answer = self.client.post(f"/api/v1/songs/{self.song.pk}/pictures", data, content_type=kind)
        return answer.status_code, answer.json()

    def sent(self, data: bytes) -> str:
        status, said = self.send(data)
        self.assertEqual(status, 200, said)
        return said["id"]

    def note(self, *pictures: str, text: str = "The pedals as they stood"):
        return self.call("post", f"/songs/{self.song.pk}/log", {"text": text, "pictures": pictures})

    def got(self, key: str, small: bool = False) -> Image.Image:
        answer = self.client.get(f"/api/v1/pictures/{key}{'?small=true' if small else ''}")
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(answer["X-Content-Type-Options"], "nosniff")
        found = Image.open(io.BytesIO(answer.content))
        self.assertEqual(answer["Content-Type"], f"image/{found.format.lower()}")
        return found

    def test_a_note_with_two_of_them_in_their_order(self):
        first, second = (
            self.sent(picture_bytes((60, 40))),
            self.sent(picture_bytes((30, 80), "WEBP")),
        )
        status, entry = self.note(second, first)
        self.assertEqual(status, 200, entry)
        self.assertEqual([p["id"] for p in entry["pictures"]], [second, first])
        (listed,) = self.call("get", f"/songs/{self.song.pk}/log")[1]["entries"]
        self.assertEqual(listed["pictures"], entry["pictures"])
        self.assertEqual(
            [(p["width"], p["height"]) for p in listed["pictures"]], [(30, 80), (60, 40)]
        )
        red, green, blue = self.got(first).convert("RGB").getpixel((5, 5))
        self.assertTrue(red > 150 and blue < 80, (red, green, blue))

    def test_a_photograph_is_upright_made_smaller_and_says_nothing_of_where_it_was_taken(self):
        exif = Image.Exif()
        exif[0x0112] = 6  # Turned by a quarter to be seen upright.
        exif[0x010F] = "Camera of somebody"
        exif.get_ifd(0x8825)[1] = "N"
        data = picture_bytes((4000, 1000), "JPEG", exif=exif, comment=b"at home")
        self.assertIn(b"Camera of somebody", data)
        key = self.sent(data)
        row = NotePicture.objects.get(pk=key)
        stored = path_of(row.blob).read_bytes()
        for word in (b"Exif", b"Camera", b"at home"):
            self.assertNotIn(word, stored)
        seen = self.got(key)
        self.assertEqual(seen.size, (512, 2048))
        # What was on its left is at its top now.
        self.assertGreater(seen.getpixel((256, 100))[0], 150)
        self.assertGreater(seen.getpixel((256, 1900))[2], 150)
        self.assertEqual(self.got(key, small=True).size, (24, 96))

    def test_what_is_broken_beside_the_dots_does_not_matter(self):
        for block in (
            b"MM\0*" + b"\xff" * 40,
            b"II*\0\x08\0\0\0\x01\0\x12\x01\x63\0\xff\xff\xff\xff\0\0",
            b"II*\0\x08\0\0\0\x01\0\x12\x01\x05\0\x01\0\0\0\xff\xff\xff\xff",
            b"",
        ):
            with self.subTest(block):
                key = self.sent(picture_bytes((40, 30), "JPEG", exif=b"Exif\0\0" + block))
                self.assertEqual(self.got(key).size, (40, 30))

    def test_what_is_clear_is_white_and_what_is_drawn_stays_sharp(self):
        clear = Image.new("RGBA", (40, 40), (0, 0, 0, 0))
        clear.paste((10, 20, 30, 255), (0, 0, 20, 40))
        out = io.BytesIO()
        clear.save(out, "PNG")
        seen = self.got(self.sent(out.getvalue()))
        self.assertEqual(
            (seen.getpixel((30, 5)), seen.getpixel((19, 5))), ((255, 255, 255), (10, 20, 30))
        )

    def test_what_is_no_picture_or_too_large_leaves_nothing(self):
        half = picture_bytes((400, 400))
        bomb = picture_bytes((9000, 9000))
        self.assertLess(len(bomb), 1_000_000)
        for data, status, words in (
            (b"", 422, "no picture that can be opened"),
            (b"<svg xmlns='http://www.w3.org/2000/svg' onload='alert(1)'/>", 422, "no picture"),
            (picture_bytes(kind="GIF"), 422, "no picture"),
            (picture_bytes(kind="TIFF"), 422, "no picture"),
            (half[: len(half) // 2], 422, "no picture"),
            (b"\x89PNG\r\n\x1a\n" + b"\0" * 99, 422, "no picture"),
            (bomb, 422, "9000 × 9000 dots"),
            (b"\0" * (12 * 1024**2 + 1), 413, "at most 12 MB"),
        ):  # fmt: skip
            with self.subTest(words, size=len(data)):
                got, problem = self.send(data)
                self.assertEqual(got, status, problem)
                self.assertIn(words, problem["detail"])
        self.assertEqual(NotePicture.objects.count(), 0)
        self.assertEqual(list(scratch_folder().iterdir()), [])

    def test_one_that_is_gone_is_not_written_and_neither_is_the_note(self):
        one = self.sent(picture_bytes())
        self.assertEqual(self.note(one)[0], 200)
        for wanted in ([one], [str(LogEntry.objects.get().pk)]):
            status, problem = self.note(*wanted)
            self.assertEqual(status, 409)
            self.assertIn("Add it again", problem["detail"])
        self.assertEqual(LogEntry.objects.count(), 1)
        self.assertEqual(self.note(*[one] * 5)[0], 422)

    def test_those_that_wait_longer_than_a_day_are_let_go(self):
        old, given, young = (self.sent(picture_bytes((n, n))) for n in (10, 11, 12))
        self.note(given)
        NotePicture.objects.filter(pk__in=[old, given]).update(
            created_at=timezone.now() - timedelta(days=2)
        )
        newest = self.sent(picture_bytes((13, 13)))
        self.assertEqual({str(p.pk) for p in NotePicture.objects.all()}, {given, young, newest})

    def test_only_ones_own(self):
        key = self.sent(picture_bytes())
        eve = person("eve")
        theirs = song_for(eve, "Hers")
        self.client.force_login(eve)
        self.assertEqual(self.client.get(f"/api/v1/pictures/{key}").status_code, 404)
        body = {"text": "x", "pictures": [key]}
        self.assertEqual(self.call("post", f"/songs/{theirs.pk}/log", body)[0], 409)

    def test_a_song_that_is_full_and_a_disk_that_is(self):
        with mock.patch("server.log.pictures.MOST_OF_A_SONG", 0):
            self.assertIn("and this one has them", self.send(picture_bytes())[1]["detail"])
        with mock.patch("server.log.pictures.store.room_for", return_value=False):
            status, problem = self.send(picture_bytes())
        self.assertEqual((status, NotePicture.objects.count()), (507, 0), problem)
