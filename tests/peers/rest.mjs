// A REST server over a small database, with Link paging and ETags. Prints its port. With `guarded`
// as an argument it wants a bearer token.
import jsonServer from 'json-server';

const plants = Array.from({ length: 23 }, (_, n) => ({ id: n + 1, name: `Fern ${n + 1}` }));
const app = jsonServer.create();
app.use(jsonServer.defaults({ logger: false }));
if (process.argv[2] === 'guarded') {
  app.use((request, response, next) => {
    if (/^Bearer \S+\.\S+\.\S+$/.test(request.get('authorization') ?? '')) next();
    else response.status(401).json({ error: 'a token is needed' });
  });
}
app.use(jsonServer.router({ plants, pages: [{ id: 1, slug: 'fern-1', heading: 'Old page', banner: 'summer.jpg' }] }));
const server = app.listen(0, '127.0.0.1', () => console.log(server.address().port));
