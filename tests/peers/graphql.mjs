// A GraphQL server with a cursor connection of plants. Prints its port.
import { createServer } from 'node:http';
import { createSchema, createYoga } from 'graphql-yoga';

const plants = Array.from({ length: 23 }, (_, n) => ({ id: String(n + 1), name: `Fern ${n + 1}`, torn: n === 8 }));
const schema = createSchema({
  typeDefs: `
    type Query { plants(first: Int!, after: String): Plants! }
    type Plants { edges: [Edge!]!, pageInfo: PageInfo!, totalCount: Int! }
    type Edge { node: Plant! }
    type Plant { id: ID!, name: String }
    type PageInfo { hasNextPage: Boolean!, endCursor: String }
  `,
  resolvers: {
    Query: {
      plants: (_, { first, after }) => {
        const from = after ? plants.findIndex((plant) => plant.id === after) + 1 : 0;
        const page = plants.slice(from, from + first);
        const end = page.at(-1)?.id ?? null;
        return {
          edges: page.map((node) => ({ node })),
          pageInfo: { hasNextPage: from + first < plants.length, endCursor: end },
          totalCount: plants.length,
        };
      },
    },
    Plant: {
      name: (plant) => {
        if (plant.torn) throw new Error('the label is torn');
        return plant.name;
      },
    },
  },
});
const server = createServer(createYoga({ schema, maskedErrors: false, logging: false }));
server.listen(0, '127.0.0.1', () => console.log(server.address().port));
