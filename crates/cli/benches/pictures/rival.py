"""The same rendition of the same pictures by Pillow or libvips: seconds and peak memory, as JSON."""

import json
import resource
import sys
import time
from pathlib import Path

which, folder, out = sys.argv[1], Path(sys.argv[2]), Path(sys.argv[3])
files = sorted(folder.glob("*.jpg"))
if which == "pillow":
    from PIL import Image, ImageOps

    def make(file):
        with Image.open(file) as picture:
            turned = ImageOps.exif_transpose(picture)
            ImageOps.fit(turned, (1200, 630), Image.Resampling.LANCZOS).save(out / file.name, quality=82)
else:
    import pyvips

    def make(file):
        pyvips.Image.thumbnail(str(file), 1200, height=630, crop="centre").jpegsave(
            str(out / file.name), Q=82, keep="icc"
        )

began = time.monotonic()
for file in files:
    make(file)
seconds = time.monotonic() - began
print(json.dumps({"seconds": seconds, "kib": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss}))
