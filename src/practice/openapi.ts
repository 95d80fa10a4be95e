export const openapi = {} as const;
