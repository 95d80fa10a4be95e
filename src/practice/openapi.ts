// The description of the practice service. A test holds every response to it.

const json = (schema: object): object => ({ 'application/json': { schema } });
const ref = (name: string): object => ({ $ref: `#/components/schemas/${name}` });
const text = { type: 'string' };
const whole = { type: 'integer' };
const money = { type: 'number' };

const object = (properties: Record<string, object>, optional: readonly string[] = []): object => ({
  type: 'object',
  properties,
  required: Object.keys(properties).filter((name) => !optional.includes(name)),
  additionalProperties: false,
});

const list = (items: object): object => ({ type: 'array', items });

const problem = (description: string): object => ({
  description,
  content: { 'application/problem+json': { schema: ref('Problem') } },
});
const page = (description: string): object => ({ description, content: { 'text/html': { schema: text } } });
const response = (description: string, schema: object, headers: readonly string[] = []): object => ({
  description,
  content: json(schema),
  ...(headers.length === 0
    ? {}
    : {
        // One with a question mark does not always come.
        headers: Object.fromEntries(
          headers.map((name) => [
            name.replace('?', ''),
            { schema: text, ...(name.endsWith('?') ? {} : { required: true }) },
          ]),
        ),
      }),
});

const query = (name: string, schema: object, description: string, required = false): object => ({
  name,
  in: 'query',
  schema,
  description,
  required,
});
const path = (name: string): object => ({ name, in: 'path', schema: text, required: true });

const failures = {
  '401': problem('No credential, or one that is not good'),
  '429': page('Too many requests'),
};
const writeFailures = { ...failures, '403': problem('Not with this credential') };
const missing = { '404': problem('Nothing of this name') };

const signed = [{ token: [] }, { key: [] }, { keyInQuery: [] }];
const filters = [
  query('state', { enum: ['waiting', 'fired', 'collected'] }, 'Only pieces in this state'),
  query('glazed', { enum: ['true', 'false'] }, 'Only glazed pieces, or only others'),
  query('glaze', text, 'Only pieces with this glaze'),
  query('fields', text, 'Members to show, with commas between them'),
  query('limit', { type: 'integer', minimum: 1, maximum: 50 }, 'Pieces a page'),
];

const draft = object(
  { name: text, rack: text, glaze: { type: ['string', 'null'] }, cone: whole, price: money, state: text },
  ['name', 'rack', 'glaze', 'cone', 'price', 'state'],
);
const body = (schema: object, type = 'application/json'): object => ({
  required: true,
  content: { [type]: { schema } },
});
const changed = {
  '200': response('The piece as it is now', ref('Piece'), ['ETag']),
  '412': problem('Changed meanwhile'),
  '422': problem('Not a piece'),
  ...writeFailures,
  ...missing,
};

const pieceMembers = {
  id: text,
  serial: { ...whole, description: 'Beyond what a double keeps' },
  name: text,
  rack: text,
  state: { enum: ['waiting', 'fired', 'collected'] },
  glazed: { type: 'boolean' },
  glaze: { type: ['string', 'null'] },
  cone: whole,
  price: { ...money, description: 'In euros, with two digits after the point' },
  made: { type: 'string', format: 'date' },
  href: text,
};

export const openapi = {
  openapi: '3.1.0',
  info: {
    title: 'Emberfold Kilns',
    version: '1',
    description:
      "A made-up pottery studio that fires other people's pots: a service to practise with. It is the same at every start.",
  },
  servers: [{ url: '/' }],
  security: signed,
  paths: {
    '/': {
      get: {
        operationId: 'describe',
        tags: ['service'],
        summary: 'What the service offers, and what can go wrong',
        security: [],
        responses: { '200': response('What the service offers', { type: 'object' }) },
      },
    },
    '/openapi.json': {
      get: {
        operationId: 'description',
        tags: ['service'],
        summary: 'This description',
        security: [],
        responses: { '200': response('This description', { type: 'object' }) },
      },
    },
    '/ledger': {
      get: {
        operationId: 'ledger',
        tags: ['service'],
        summary: 'What the service has received, for tests that prove what was sent',
        security: [],
        responses: { '200': response('What the service has received', ref('Ledger')) },
      },
    },
    '/v1/token': {
      post: {
        operationId: 'token',
        tags: ['signing in'],
        summary: 'A token by client credentials, a refresh token, or for a device (RFC 6749, RFC 8628)',
        security: [{ client: [] }],
        requestBody: body(
          object(
            {
              grant_type: {
                enum: ['client_credentials', 'refresh_token', 'urn:ietf:params:oauth:grant-type:device_code'],
              },
              scope: text,
              client_id: text,
              client_secret: text,
              refresh_token: text,
              device_code: text,
            },
            ['scope', 'client_id', 'client_secret', 'refresh_token', 'device_code'],
          ),
          'application/x-www-form-urlencoded',
        ),
        responses: {
          '200': response(
            'A token',
            object(
              {
                access_token: text,
                token_type: { const: 'Bearer' },
                expires_in: whole,
                scope: text,
                refresh_token: text,
              },
              ['refresh_token'],
            ),
          ),
          '400': response('Not such a grant or scope', ref('TokenError')),
          '401': response('Not such a client', ref('TokenError')),
        },
      },
    },
    '/v1/racks': {
      get: {
        operationId: 'listRacks',
        tags: ['racks'],
        summary: 'All racks, with how many pieces stand on each',
        responses: {
          '200': response(
            'All racks',
            object({ racks: list(object({ id: text, pieces: whole, href: text })) }),
          ),
          ...failures,
        },
      },
    },
    '/v1/racks/{rack}/pieces': {
      get: {
        operationId: 'listRackPieces',
        tags: ['racks'],
        summary: 'A page of the pieces of a rack; the next one is in the Link field (RFC 8288)',
        parameters: [path('rack'), query('page', { type: 'integer', minimum: 1 }, 'Which page'), ...filters],
        responses: {
          '200': response('A page', object({ rack: text, pieces: list(ref('PartOfPiece')) }), ['Link?']),
          '400': problem('Not such a page'),
          ...failures,
          ...missing,
        },
      },
    },
    '/v1/pieces': {
      get: {
        operationId: 'listPieces',
        tags: ['pieces'],
        summary: 'Pieces by cursor, or by page number where `page` is given',
        parameters: [
          query('cursor', text, 'next_cursor of the page before'),
          query('page', { type: 'integer', minimum: 1 }, 'Which page'),
          ...filters,
        ],
        responses: {
          '200': response('A page', {
            oneOf: [
              object({ pieces: list(ref('PartOfPiece')), next_cursor: { type: ['string', 'null'] } }),
              object({ pieces: list(ref('PartOfPiece')), page: whole, pages: whole, total: whole }),
            ],
          }),
          '400': problem('Not such a page'),
          ...failures,
        },
      },
      post: {
        operationId: 'createPiece',
        tags: ['pieces'],
        summary: 'A new piece',
        requestBody: body(draft),
        responses: {
          '201': response('The new piece', ref('Piece'), ['Location', 'ETag']),
          '422': problem('Not a piece'),
          ...writeFailures,
        },
      },
    },
    '/v1/pieces/{id}': {
      parameters: [path('id')],
      get: {
        parameters: [query('fields', text, 'Members to show, with commas between them')],
        operationId: 'readPiece',
        tags: ['pieces'],
        summary: 'One piece, or the members of it that `fields` names',
        responses: {
          '200': response('The piece', ref('PartOfPiece'), ['ETag']),
          '304': { description: 'As it was' },
          ...failures,
          ...missing,
        },
      },
      put: {
        operationId: 'replacePiece',
        tags: ['pieces'],
        summary: 'Another piece in the place of one',
        requestBody: body(draft),
        responses: changed,
      },
      patch: {
        operationId: 'changePiece',
        tags: ['pieces'],
        summary: 'Some members of a piece with other values',
        requestBody: body(draft),
        responses: changed,
      },
      delete: {
        operationId: 'deletePiece',
        tags: ['pieces'],
        summary: 'A piece that is not there any more',
        responses: {
          '204': { description: 'Deleted' },
          '412': problem('Changed meanwhile'),
          ...writeFailures,
          ...missing,
        },
      },
    },
    '/v1/glazes': {
      get: {
        operationId: 'listGlazes',
        tags: ['glazes'],
        summary: 'All glazes, in JSON or XML',
        responses: {
          '200': {
            description: 'All glazes, in XML where Accept asks for it',
            content: { ...json(list(ref('Glaze'))), 'application/xml': { schema: text } },
          },
          ...failures,
        },
      },
    },
    '/v1/glazes/{name}': {
      get: {
        operationId: 'readGlaze',
        tags: ['glazes'],
        summary: 'One glaze',
        parameters: [path('name')],
        responses: { '200': response('The glaze', ref('Glaze')), ...failures, ...missing },
      },
    },
    '/v1/firings': {
      post: {
        operationId: 'loadFiring',
        tags: ['firings'],
        summary: 'Loads a piece into the kiln; with an Idempotency-Key, once',
        parameters: [{ name: 'Idempotency-Key', in: 'header', schema: text }],
        requestBody: body(object({ piece: text, cone: whole, notify: text }, ['cone', 'notify'])),
        responses: {
          '202': response('Accepted', ref('Firing'), ['Location', 'Retry-After']),
          '400': problem('Not JSON'),
          '422': problem('Not a firing'),
          ...writeFailures,
        },
        callbacks: {
          notice: {
            '{$request.body#/notify}': {
              post: {
                summary: 'The firing has come to its end; the request is signed (RFC 9421, hmac-sha256)',
                requestBody: body(ref('Firing')),
                responses: { '2XX': { description: 'Understood; anything else is sent again' } },
              },
            },
          },
        },
      },
    },
    '/v1/firings/{id}': {
      parameters: [path('id')],
      get: {
        operationId: 'readFiring',
        tags: ['firings'],
        summary: 'A firing as it is now: ask again until it is done or cracked',
        responses: {
          '200': response('The firing as it is now', ref('Firing')),
          '410': problem('Taken back'),
          ...failures,
          ...missing,
        },
      },
      delete: {
        operationId: 'takeBackFiring',
        tags: ['firings'],
        summary: 'Takes a piece out of the kiln again',
        responses: {
          '204': { description: 'Taken back' },
          '410': problem('Taken back already'),
          ...writeFailures,
          ...missing,
        },
      },
    },
    '/v1/firings/{id}/certificate': {
      get: {
        operationId: 'readCertificate',
        tags: ['firings'],
        summary: 'The certificate of a firing that is done, as a picture',
        parameters: [path('id')],
        responses: {
          '200': {
            description: 'A picture; a page while the kiln is closed',
            content: { 'image/png': {}, 'text/html': { schema: text } },
          },
          '410': problem('Taken back'),
          ...failures,
          ...missing,
        },
      },
    },
    '/v1/daylight': {
      get: {
        operationId: 'readDaylight',
        tags: ['daylight'],
        summary: 'When pots can dry outdoors on a day; needs no credential',
        security: [],
        parameters: [query('date', { type: 'string', format: 'date' }, 'The day', true)],
        responses: {
          '200': response(
            'Its light',
            object({ date: text, light: object({ from: whole, until: whole }), drying_hours: money }),
          ),
          '400': problem('Not a date'),
        },
      },
    },
    '/v1/office/orders': {
      get: {
        operationId: 'listOrders',
        tags: ['office'],
        summary: 'Orders, for staff',
        security: [{ staff: [] }],
        responses: {
          '200': response(
            'The orders',
            object({ orders: list(object({ number: text, pieces: list(text), paid: { type: 'boolean' } })) }),
          ),
          '401': { description: 'For staff', content: { 'text/plain': { schema: text } } },
        },
      },
    },
    '/v1/catalogue': {
      get: {
        operationId: 'catalogue',
        tags: ['pieces'],
        summary: 'All pieces as CSV',
        responses: {
          '200': { description: 'The rows', content: { 'text/csv': { schema: text } } },
          ...failures,
        },
      },
    },
    '/v1/kiln/events': {
      get: {
        operationId: 'kilnEvents',
        tags: ['firings'],
        summary: 'What the kiln did, as server-sent events',
        responses: {
          '200': { description: 'The events', content: { 'text/event-stream': { schema: text } } },
          ...failures,
        },
      },
    },
    '/v1/kiln/watch': {
      get: {
        operationId: 'watchKiln',
        tags: ['firings'],
        summary: 'The course of a firing, as it goes on',
        parameters: [
          query('cut', { type: 'integer', minimum: 1 }, 'Breaks off after so many events'),
          query('forever', { type: 'string' }, 'Goes on without an end'),
        ],
        responses: {
          '200': { description: 'The events', content: { 'text/event-stream': { schema: text } } },
          ...failures,
        },
      },
    },
    '/v1/kiln/sensors': {
      get: {
        operationId: 'kilnSensors',
        tags: ['firings'],
        summary: 'What the sensors say, a line each, without an end',
        parameters: [query('lines', { type: 'integer', minimum: 1 }, 'Ends after so many')],
        responses: {
          '200': { description: 'The lines', content: { 'application/x-ndjson': { schema: text } } },
          ...failures,
        },
      },
    },
    '/v1/kiln/changes': {
      get: {
        operationId: 'kilnChanges',
        tags: ['firings'],
        summary: 'What the kiln did since, once there is something to say',
        parameters: [query('after', { type: 'integer', minimum: 0 }, 'The cursor of the response before')],
        responses: {
          '200': response('The changes', {
            type: 'object',
            required: ['changes', 'cursor'],
            properties: {
              changes: {
                type: 'array',
                items: {
                  type: 'object',
                  required: ['nth', 'state', 'celsius'],
                  properties: {
                    nth: { type: 'integer' },
                    state: { type: 'string' },
                    celsius: { type: 'integer' },
                  },
                },
              },
              cursor: { type: 'integer' },
            },
          }),
          ...failures,
        },
      },
    },
    '/v1/desk/advice': {
      post: {
        operationId: 'askAdvice',
        tags: ['firings'],
        summary: 'Advice that is written word by word',
        requestBody: {
          required: true,
          content: {
            'application/json': {
              schema: {
                type: 'object',
                required: ['question'],
                properties: { question: { type: 'string' } },
              },
            },
          },
        },
        responses: {
          '200': { description: 'The words', content: { 'text/event-stream': { schema: text } } },
          '422': problem('No question'),
          ...failures,
        },
      },
    },
    '/v1/film': {
      get: {
        operationId: 'film',
        tags: ['transfers'],
        summary: 'A large download',
        parameters: [query('megabytes', { type: 'integer', minimum: 1, maximum: 500 }, 'How large')],
        responses: {
          '200': { description: 'The film', content: { 'video/mp4': {} } },
          '400': problem('Not so large'),
          ...failures,
        },
      },
    },
    '/v1/pieces/{id}/photo': {
      parameters: [path('id')],
      get: {
        operationId: 'readPhoto',
        tags: ['transfers'],
        summary: 'Leads to another host, which wants no credential',
        responses: { '302': { description: 'Where it lies' }, ...failures, ...missing },
      },
      put: {
        operationId: 'uploadPhoto',
        tags: ['transfers'],
        summary: 'A photo of a piece, of any kind and size',
        requestBody: { required: true, content: { '*/*': {} } },
        responses: {
          '201': response('What came', object({ size: whole, sha256: text, type: text })),
          ...failures,
        },
      },
    },
    '/pictures/{file}': {
      get: {
        operationId: 'picture',
        tags: ['transfers'],
        summary: 'A picture at the other host',
        security: [],
        parameters: [path('file')],
        responses: {
          '200': { description: 'The picture', content: { 'image/png': {} } },
          '400': problem('A credential came along'),
        },
      },
    },
    '/v1/device': {
      post: {
        operationId: 'device',
        tags: ['signing in'],
        summary: 'Signing in on another device (RFC 8628)',
        security: [],
        requestBody: body(
          object({ client_id: text, scope: text }, ['scope']),
          'application/x-www-form-urlencoded',
        ),
        responses: {
          '200': response(
            'A code to show',
            object({
              device_code: text,
              user_code: text,
              verification_uri: text,
              verification_uri_complete: text,
              expires_in: whole,
              interval: whole,
            }),
          ),
          '401': response('No such client', ref('TokenError')),
        },
      },
    },
    '/device': {
      get: {
        operationId: 'devicePage',
        tags: ['signing in'],
        summary: 'The page on which a person lets a device in',
        security: [],
        parameters: [query('code', text, 'The code of the panel')],
        responses: { '200': page('A form for the code') },
      },
      post: {
        operationId: 'approveDevice',
        tags: ['signing in'],
        summary: 'Lets a device in',
        security: [],
        requestBody: body(object({ code: text }), 'application/x-www-form-urlencoded'),
        responses: { '200': page('The panel is in'), '404': page('No such code') },
      },
    },
    '/v1/archive/firings': {
      get: {
        operationId: 'archive',
        tags: ['archive'],
        summary: 'Old firings, behind Digest (RFC 7616)',
        security: [{ archive: [] }],
        responses: {
          '200': response(
            'The firings',
            object({ firings: list(object({ year: whole, pieces: whole, cracked: whole })) }),
          ),
          '401': { description: 'Locked', content: { 'text/plain': { schema: text } } },
        },
      },
    },
    '/v1/studio/login': {
      get: {
        operationId: 'loginPage',
        tags: ['studio'],
        summary: 'The page on which a person signs in',
        security: [],
        responses: { '200': page('The form') },
      },
      post: {
        operationId: 'login',
        tags: ['studio'],
        summary: 'Signs in with a form, and sets a cookie',
        security: [],
        requestBody: body(object({ user: text, password: text }), 'application/x-www-form-urlencoded'),
        responses: { '303': { description: 'Signed in, with a cookie' }, '403': page('Not you') },
      },
    },
    '/v1/studio/plans': {
      get: {
        operationId: 'plans',
        tags: ['studio'],
        summary: 'What is planned, for whoever has the cookie',
        security: [{ studio: [] }],
        responses: {
          '200': response('The plans', object({ plans: list(object({ day: text, kiln: text })) })),
          '401': page('Please sign in'),
        },
      },
    },
    '/v1/signed/orders': {
      get: {
        operationId: 'listSigned',
        tags: ['signed orders'],
        summary: 'Each request is signed (RFC 9421, hmac-sha256)',
        security: [],
        responses: {
          '200': response('The orders', object({ orders: list(object({ number: text, pieces: whole })) })),
          '401': problem('Not signed'),
        },
      },
      post: {
        operationId: 'order',
        tags: ['signed orders'],
        summary: 'An order, in a signed request',
        security: [],
        requestBody: body({ type: 'object' }),
        responses: {
          '201': response('Ordered', object({ number: text, received: whole })),
          '401': problem('Not signed'),
        },
      },
    },
    '/v1/moody/racks': {
      get: {
        operationId: 'moodyRacks',
        tags: ['racks'],
        summary: 'Misbehaves now and then, the same way at every start',
        security: [],
        responses: {
          '200': response('The racks', object({ racks: list(text) })),
          '500': problem('Out of order'),
          '503': page('Back in a moment'),
        },
      },
    },
  },
  components: {
    securitySchemes: {
      token: {
        type: 'oauth2',
        flows: {
          clientCredentials: {
            tokenUrl: '/v1/token',
            scopes: { 'pieces:read': 'Read', 'pieces:write': 'Write', 'firings:write': 'Fire' },
          },
        },
      },
      client: { type: 'http', scheme: 'basic' },
      key: { type: 'apiKey', in: 'header', name: 'Emberfold-Key' },
      keyInQuery: { type: 'apiKey', in: 'query', name: 'key' },
      staff: { type: 'http', scheme: 'basic' },
      archive: { type: 'http', scheme: 'digest' },
      studio: { type: 'apiKey', in: 'cookie', name: 'studio_session' },
    },
    schemas: {
      Problem: {
        type: 'object',
        description: 'Problem details (RFC 9457)',
        properties: { type: text, title: text, status: whole, detail: text },
        required: ['type', 'title', 'status'],
      },
      TokenError: object({ error: text, error_description: text }),
      Piece: object(pieceMembers),
      PartOfPiece: {
        description: 'A piece, or the members of it that `fields` names',
        type: 'object',
        properties: pieceMembers,
        additionalProperties: false,
      },
      Glaze: object({ name: text, cone: whole, colour: text, price: money }),
      Firing: object({
        id: text,
        piece: text,
        cone: whole,
        state: { enum: ['waiting', 'heating', 'soaking', 'cooling', 'done', 'cracked'] },
        href: text,
      }),
      Ledger: object({
        received: whole,
        firings: whole,
        loaded: list(object({ id: text, piece: text, taken_back: { type: 'boolean' } })),
        requests: list(
          object({ at: money, method: text, path: text, status: whole, credential: text, mishap: text }, [
            'mishap',
          ]),
        ),
      }),
    },
  },
};
