// A document database in memory, over the CouchDB HTTP protocol. Prints its port.
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chdir } from 'node:process';
import express from 'express';
import expressPouch from 'express-pouchdb';
import PouchDB from 'pouchdb';
import memory from 'pouchdb-adapter-memory';

// It writes a log and a configuration where it stands.
chdir(mkdtempSync(join(tmpdir(), 'docstore-')));
PouchDB.plugin(memory);
const Memory = PouchDB.defaults({ adapter: 'memory' });
const app = express();
app.use('/', expressPouch(Memory, { logPath: 'log.txt', mode: 'minimumForPouchDB' }));
await new Memory('kiosk').info();
const server = app.listen(0, '127.0.0.1', () => console.log(server.address().port));
