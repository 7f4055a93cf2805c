// An answer that says what went wrong (RFC 9457).
export const problem = (code, title, instance) => ({
  code,
  fields: { 'content-type': 'application/problem+json' },
  content: JSON.stringify({ title, status: code, instance }),
})
