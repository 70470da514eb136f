"""Reads feeds by the feedparser package: a path in JSON a line in, what it read and how it complains a line out."""

import json
import sys

import feedparser

for line in sys.stdin:
    feed = feedparser.parse(json.loads(line)["path"])
    print(json.dumps({
        "complaint": str(feed.get("bozo_exception", "")),
        "version": feed.version,
        "ids": [entry.id for entry in feed.entries],
        "dated": all("updated_parsed" in entry or "published_parsed" in entry for entry in feed.entries),
    }))
