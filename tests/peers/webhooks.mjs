// Signs and verifies calls by the Standard Webhooks package: a case of JSON a line in, an answer a line out.
import { createInterface } from "node:readline";
import { Webhook } from "standardwebhooks";

for await (const line of createInterface({ input: process.stdin })) {
  const one = JSON.parse(line);
  const hook = new Webhook(one.secret);
  if (one.headers) {
    try {
      hook.verify(one.body, one.headers);
      console.log("true");
    } catch {
      console.log("false");
    }
  } else {
    console.log(hook.sign(one.id, new Date(one.second * 1000), one.body));
  }
}
