// Descriptions of texts, for the tests of what is held to them.
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Description } from '../../../src/core/contract/description.ts';
import type { Descriptions } from '../../../src/core/chain/project.ts';
import { openDescription } from '../../../src/io/description/open-description.ts';

/** The description that a text is, in a file of the name that is given. */
export function describedBy(text: string, name = 'kiln.openapi.yaml'): Description {
  const folder = mkdtempSync(join(tmpdir(), 'batharon-described-'));
  try {
    writeFileSync(join(folder, name), text);
    // What is stored of it goes with the folder, so all of it is read.
    const description = openDescription(join(folder, name), name, folder);
    for (const head of description.operations) description.operation(head);
    return description;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Those of a project, by the names of its services. */
export function descriptionsBy(texts: Readonly<Record<string, string>>): Descriptions {
  const made = new Map(Object.entries(texts).map(([name, text]) => [name, describedBy(text)]));
  return { of: (service) => made.get(service) };
}

/** A small studio. */
export const KILN = `openapi: 3.1.0
info: { title: Kiln, version: '1' }
servers: [{ url: https://kiln.example/v1 }]
security: [{ key: [] }]
paths:
  /pieces:
    get:
      operationId: listPieces
      parameters:
        - { name: limit, in: query, schema: { type: integer, maximum: 50 } }
        - { name: state, in: query, required: true, schema: { enum: [waiting, fired] } }
      responses:
        '200':
          description: A page
          headers:
            Total: { required: true, schema: { type: integer } }
          content:
            application/json:
              schema:
                type: object
                required: [pieces]
                properties:
                  pieces: { type: array, items: { $ref: '#/components/schemas/Piece' } }
                  next: { type: [string, 'null'] }
        4XX: { description: Not so }
    post:
      operationId: createPiece
      parameters:
        - { name: Idempotency-Key, in: header, required: true, schema: { type: string } }
      requestBody:
        required: true
        content:
          application/json: { schema: { $ref: '#/components/schemas/Draft' } }
      responses:
        '201':
          description: Made
          content:
            application/json: { schema: { $ref: '#/components/schemas/Piece' } }
  /pieces/{id}:
    get:
      operationId: readPiece
      security: []
      parameters:
        - { name: id, in: path, required: true, schema: { type: string, minLength: 2 } }
      responses:
        '200':
          description: One
          content:
            application/json: { schema: { $ref: '#/components/schemas/Piece' } }
        '404': { description: None, content: { text/plain: {} } }
    delete:
      operationId: deletePiece
      responses: { '204': { description: Gone } }
components:
  securitySchemes:
    key: { type: apiKey, in: header, name: Kiln-Key }
  schemas:
    Piece:
      type: object
      required: [id, price]
      properties:
        id: { type: string }
        price: { type: number }
        cone: { type: integer }
        glaze: { type: [string, 'null'] }
        secretNote: { type: string, writeOnly: true }
    Draft:
      type: object
      required: [name]
      properties:
        name: { type: string }
        cone: { type: integer, minimum: 1, maximum: 12 }
        made: { type: string, readOnly: true }
`;
