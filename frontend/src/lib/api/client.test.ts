import { afterEach, describe, expect, it, vi } from 'vitest';
import { api, Refused, upload } from './client';

const answer = (status: number, body: string, type = 'application/json') =>
  vi.spyOn(window, 'fetch').mockImplementation(async () => new Response(status === 204 ? null : body, { status, headers: { 'Content-Type': type } }));

afterEach(() => void vi.restoreAllMocks());

describe('the client', () => {
  it('asks for what it is told to, and gives the answer', async () => {
    const fetch = answer(200, '[{"id": 4}]');
    expect(await api.batches()).toEqual([{ id: 4 }]);
    const request = fetch.mock.calls[0]?.[0] as Request;
    expect([request.method, new URL(request.url).pathname]).toEqual(['GET', '/api/batches']);
  });
  it('names the last doubt that is known, and the page of the read-through', async () => {
    const fetch = answer(200, '[]');
    await api.doubts(7, 100, { page_id: 3, key: 'proof:word:w1' } as never);
    expect((fetch.mock.calls[0]?.[0] as Request).url).toMatch(/documents\/7\/doubts\?limit=100&after=3&after_key=proof(:|%3A)word(:|%3A)w1$/);
    await api.flow(7, 20);
    expect((fetch.mock.calls[1]?.[0] as Request).url).toMatch(/documents\/7\/flow\?page=20&count=10$/);
  });
  it('says in a change which revision it is made on', async () => {
    const fetch = answer(200, '{}');
    await api.edit(5, 9, { op: 'accept_word', word_id: 'w1' });
    const body = await (fetch.mock.calls[0]?.[0] as Request).clone().json();
    expect(body).toEqual({ revision: 9, operation: { op: 'accept_word', word_id: 'w1' }, everywhere: false });
  });
  it('has no body where there is none', async () => {
    answer(204, '');
    expect(await api.deleteBatch(1)).toBeUndefined();
  });
  it('tells a refusal in the words of the server', async () => {
    answer(409, '{"type":"about:blank","title":"Changed meanwhile","status":409,"detail":"nothing was overwritten"}', 'application/problem+json');
    const refused = await api.page(1).catch((e: unknown) => e);
    expect(refused).toBeInstanceOf(Refused);
    expect(refused).toMatchObject({ status: 409, title: 'Changed meanwhile', message: 'nothing was overwritten' });
  });
  it('bears an error that is no problem document', async () => {
    answer(502, '<html>Bad gateway</html>', 'text/html');
    await expect(api.page(1)).rejects.toMatchObject({ status: 502 });
  });
  it('says that the server does not answer', async () => {
    vi.spyOn(window, 'fetch').mockRejectedValue(new TypeError('failed to fetch'));
    await expect(api.about()).rejects.toMatchObject({ status: 0, title: 'No answer' });
  });
  it('passes on that a request was dropped', async () => {
    vi.spyOn(window, 'fetch').mockRejectedValue(new DOMException('', 'AbortError'));
    await expect(api.page(1, new AbortController().signal)).rejects.toMatchObject({ name: 'AbortError' });
  });
});

/** Stands in for the browser's own request, which alone tells how far an upload is. */
class FakeRequest {
  static status = 201;
  static text = '{}';
  static fails = false;
  status = 0;
  statusText = '';
  responseText = '';
  upload: { onprogress?: (event: { lengthComputable: boolean; loaded: number; total: number }) => void } = {};
  onload?: () => void;
  onerror?: () => void;
  sent: FormData | null = null;
  open = vi.fn();
  send(form: FormData) {
    this.sent = form;
    FakeRequest.last = this;
    this.upload.onprogress?.({ lengthComputable: true, loaded: 1, total: 4 });
    this.status = FakeRequest.status;
    this.responseText = FakeRequest.text;
    if (FakeRequest.fails) this.onerror?.();
    else this.onload?.();
  }
  static last: FakeRequest | null = null;
}

describe('an upload', () => {
  const files = [new File(['x'], 'a.png'), new File(['y'], 'b.png')];
  const send = (status: number, text: string, fails = false) => {
    Object.assign(FakeRequest, { status, text, fails });
    vi.stubGlobal('XMLHttpRequest', FakeRequest);
    const shares: number[] = [];
    return upload(3, files, '', (s) => shares.push(s)).then((told) => ({ told, shares }));
  };
  afterEach(() => vi.unstubAllGlobals());

  it('sends every file under its name and tells how far it is', async () => {
    const { told, shares } = await send(201, '{"documents":[8],"problems":[]}');
    expect(told.documents).toEqual([8]);
    expect(shares).toEqual([0.25]);
    expect(FakeRequest.last?.sent?.getAll('files').map((f) => (f as File).name)).toEqual(['a.png', 'b.png']);
  });
  it('that is refused says why', async () => {
    await expect(send(404, '{"title":"Not found","detail":"There is no batch 3."}')).rejects.toMatchObject({ status: 404, message: 'There is no batch 3.' });
  });
  it('ends even where the answer is none of ours', async () => {
    await expect(send(500, 'Internal Server Error')).rejects.toMatchObject({ status: 500 });
    await expect(send(201, 'not JSON')).rejects.toBeInstanceOf(Refused);
  });
  it('ends where there is no answer', async () => {
    await expect(send(0, '', true)).rejects.toMatchObject({ status: 0, title: 'No answer' });
  });
});
