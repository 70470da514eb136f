"""Signs and verifies calls by the Standard Webhooks package: a case of JSON a line in, an answer a line out."""

import json
import sys
from datetime import datetime, timezone

from standardwebhooks import Webhook

for line in sys.stdin:
    one = json.loads(line)
    hook = Webhook(one["secret"])
    if "headers" in one:
        try:
            hook.verify(one["body"], one["headers"])
            print("true")
        except Exception:
            print("false")
    else:
        print(hook.sign(one["id"], datetime.fromtimestamp(one["second"], tz=timezone.utc), one["body"]))
