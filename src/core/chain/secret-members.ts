/** Members of an answer whose values are secrets wherever they stand. Cursors of pages are none. */
export const SECRET_MEMBERS: readonly string[] = [
  'access_token',
  'refresh_token',
  'id_token',
  'client_secret',
  'password',
  'api_key',
  'private_key',
  'secret',
  'session_token',
];
