/** What begins a call elsewhere, and the method that it is. */
export function methodMeantBy(word: string): string | undefined {
  if (
    /^(?:fetch|request|call|http|https|load|read|list|query|open|watch|listen|subscribe|stream|sse|poll|find|show|download)$/i.test(
      word,
    )
  )
    return 'GET';
  if (/^(?:send|submit|create|add|insert|new)$/i.test(word)) return 'POST';
  if (/^(?:update|edit|modify|change)$/i.test(word)) return 'PATCH';
  if (/^(?:upload|replace|save|store)$/i.test(word)) return 'PUT';
  return /^(?:remove|destroy|del|rm|drop)$/i.test(word) ? 'DELETE' : undefined;
}
