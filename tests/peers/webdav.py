# A WebDAV server with locks over the folder named as argument. Prints its port.
import sys

from cheroot import wsgi
from wsgidav.wsgidav_app import WsgiDAVApp

app = WsgiDAVApp({
    "provider_mapping": {"/": sys.argv[1]},
    "simple_dc": {"user_mapping": {"*": {"hub": {"password": "s3 cret/+"}, "nia": {"password": "fern"}}}},
    "http_authenticator": {"accept_basic": True, "accept_digest": False, "default_to_digest": False},
    "lock_storage": True,
    "property_manager": True,
    "verbose": 0,
    "logging": {"enable": False},
})
server = wsgi.Server(("127.0.0.1", 0), app)
server.prepare()
print(server.bind_addr[1], flush=True)
server.serve()
