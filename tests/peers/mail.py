# A mail server that asks for a log-in. It puts each mail that it takes into the folder named as argument, with
# lines of its own before it. The second argument is how it is secured: `starttls`, `tls` or `none`; then come
# the files of its certificate and key. Prints its port.
import asyncio
import ssl
import sys
from pathlib import Path

from aiosmtpd.smtp import SMTP, AuthResult

folder, security = Path(sys.argv[1]), sys.argv[2]
context = None
if security != "none":
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(sys.argv[3], sys.argv[4])
taken = 0
unwilling = folder / "unwilling"


class Taking:
    async def handle_DATA(self, server, session, envelope):
        global taken
        if unwilling.exists():
            return "451 not now"
        taken += 1
        said = f"X-Secure: {'yes' if session.ssl or security == 'tls' else 'no'}\r\nX-To: {','.join(envelope.rcpt_tos)}\r\n"
        (folder / f"{taken}.eml").write_bytes(said.encode() + envelope.content)
        return "250 taken"


def known(server, session, envelope, mechanism, data):
    is_known = mechanism in ("LOGIN", "PLAIN") and (data.login, data.password) == (b"hub", b"s3 cret/+")
    return AuthResult(success=is_known, handled=False)


async def main():
    def serving():
        return SMTP(
            Taking(), hostname="mail.ostrel.example", authenticator=known, auth_required=True,
            auth_require_tls=security == "starttls", require_starttls=security == "starttls",
            tls_context=context if security == "starttls" else None,
        )

    server = await asyncio.get_running_loop().create_server(
        serving, "127.0.0.1", 0, ssl=context if security == "tls" else None)
    print(server.sockets[0].getsockname()[1], flush=True)
    await server.serve_forever()


asyncio.run(main())
