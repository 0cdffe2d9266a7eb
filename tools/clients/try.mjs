// Tries the official JavaScript clients of the open protocols, unchanged, against a program that runs.
//
//   npm install openai @modelcontextprotocol/sdk
//   JOLVEX_KEY=jvx_... node try.mjs http://127.0.0.1:8645 "How much is a bicycle?"
//
// The key needs the scopes ask and find. It prints what each call gave, and ends with an error where one did not do what its protocol says.
import assert from 'node:assert/strict'
import OpenAI from 'openai'
import { Client } from '@modelcontextprotocol/sdk/client/index.js'
import { StreamableHTTPClientTransport } from '@modelcontextprotocol/sdk/client/streamableHttp.js'

const [, , at, question] = process.argv
const key = process.env.JOLVEX_KEY
const says = (name, value) => console.log(name.padEnd(32), value)

const client = new OpenAI({ apiKey: key, baseURL: at + '/v1', maxRetries: 0 })
const models = (await client.models.list()).data.map((m) => m.id)
says('models', models)
const messages = [{ role: 'user', content: question }]
const whole = await client.chat.completions.create({ model: models[0], messages })
says('chat, whole', whole.choices[0].message.content)
says('citations', (whole.choices[0].message.annotations ?? []).map((a) => a.url_citation.url))
let streamed = ''
for await (const c of await client.chat.completions.create({ model: models[0], messages, stream: true })) streamed += c.choices[0]?.delta.content ?? ''
assert.equal(streamed, whole.choices[0].message.content, 'streamed, it says the same')
says('chat, streamed', 'the same')
const vectors = await client.embeddings.create({ model: models.at(-1), input: [question, 'Something else'] })
assert.ok(Math.abs(vectors.data[0].embedding.reduce((sum, x) => sum + x * x, 0) - 1) < 1e-3, 'vectors of length 1')
says('embeddings', `${vectors.data.length} of ${vectors.data[0].embedding.length} dimensions`)
await assert.rejects(new OpenAI({ apiKey: 'jvx_wrong', baseURL: at + '/v1', maxRetries: 0 }).models.list(), { status: 401 })
says('a wrong key', 'refused')

const tools = new Client({ name: 'try', version: '1' })
await tools.connect(new StreamableHTTPClientTransport(new URL(at + '/mcp'), { requestInit: { headers: { Authorization: 'Bearer ' + key } } }))
says('tools', (await tools.listTools()).tools.map((t) => t.name))
const asked = await tools.callTool({ name: 'ask', arguments: { question } })
says('ask', asked.structuredContent.reply)
const found = (await tools.callTool({ name: 'find', arguments: { question, limit: 1 } })).structuredContent.passages[0]
const opened = await tools.callTool({ name: 'open', arguments: { document: found.document, from: found.from, to: found.to } })
assert.equal(opened.structuredContent.text, found.text, 'a passage is opened where it stands')
says('find and open', found.title)
says('resources', (await tools.listResources()).resources.length)
await tools.close()
