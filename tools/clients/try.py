"""Tries the official Python clients of the open protocols, unchanged, against a program that runs.

    python3 -m venv v && v/bin/pip install openai mcp
    JOLVEX_KEY=jvx_... v/bin/python tools/clients/try.py http://127.0.0.1:8645 "How much is a bicycle?"

The key needs the scopes ask and find. It prints what each call gave, and ends with an error where one did not do what its protocol says.
"""

import asyncio
import os
import sys

import httpx2
import openai
from mcp import ClientSession
from mcp.client.streamable_http import streamable_http_client

at, question = sys.argv[1], sys.argv[2]
key = os.environ["JOLVEX_KEY"]


def says(name, value):
    print(f"{name:32} {value}")


def chat():
    client = openai.OpenAI(api_key=key, base_url=at + "/v1", max_retries=0)
    models = [m.id for m in client.models.list()]
    says("models", models)
    whole = client.chat.completions.create(model=models[0], messages=[{"role": "user", "content": question}])
    m = whole.choices[0].message
    says("chat, whole", m.content)
    says("citations", [a.url_citation.url for a in m.annotations or []])
    says("refusal", m.refusal)
    says("usage", whole.usage)
    pieces = [c.choices[0].delta.content or "" for c in client.chat.completions.create(model=models[0], messages=[{"role": "user", "content": question}], stream=True) if c.choices]
    assert "".join(pieces) == m.content, "streamed, it says the same"
    says("chat, streamed", f"{len(pieces)} pieces")
    vectors = client.embeddings.create(model=models[-1], input=[question, "Something else"])
    assert len(vectors.data) == 2 and abs(sum(x * x for x in vectors.data[0].embedding) - 1) < 1e-3, "vectors of length 1"
    says("embeddings", f"{len(vectors.data)} of {len(vectors.data[0].embedding)} dimensions")
    try:
        openai.OpenAI(api_key="jvx_wrong", base_url=at + "/v1", max_retries=0).models.list()
        raise SystemExit("a wrong key was let in")
    except openai.AuthenticationError as e:
        says("a wrong key", e.message)


async def tools():
    http = httpx2.AsyncClient(headers={"Authorization": "Bearer " + key})
    async with streamable_http_client(at + "/mcp", http_client=http) as streams, ClientSession(streams[0], streams[1]) as s:
        await s.initialize()
        says("tools", [t.name for t in (await s.list_tools()).tools])
        got = await s.call_tool("ask", {"question": question})
        says("ask", structured(got)["reply"])
        found = structured(await s.call_tool("find", {"question": question, "limit": 1}))["passages"][0]
        opened = structured(await s.call_tool("open", {"document": found["document"], "from": found["from"], "to": found["to"]}))
        assert opened["text"] == found["text"], "a passage is opened where it stands"
        says("find and open", found["title"])
        listed = (await s.list_resources()).resources
        says("resources", len(listed))
        says("a resource", len((await s.read_resource(listed[0].uri)).contents[0].text))


def structured(result):
    return getattr(result, "structuredContent", None) or result.structured_content


chat()
asyncio.run(tools())
