// An OAuth 2 token server. Prints its port.
import { OAuth2Server } from 'oauth2-mock-server';

const server = new OAuth2Server();
await server.issuer.keys.generate('RS256');
await server.start(0, '127.0.0.1');
console.log(server.address().port);
