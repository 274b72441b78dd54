<!-- What a driver felt, corner by corner, before seeing the data. -->
<script lang="ts">
  import { api, done, type DriverRun } from '$lib/api/client';
  import { Doing } from '$lib/parts/doing.svelte';
  import { note } from '$lib/parts/notes.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { texts } from '$lib/words';

  let { run, token, again }: { run: DriverRun; token: string; again: () => Promise<void> } = $props();

  const t = texts.debrief.voice;
  const TAPS = ['good', 'lost', 'unsure'] as const;
  type Felt = (typeof TAPS)[number] | 'question';
  // svelte-ignore state_referenced_locally
  const doing = new Doing(again);
  // Open for whoever said nothing yet; it stays as it is while they speak.
  // svelte-ignore state_referenced_locally
  let open = $state(run.voices.length === 0);
  let question = $state('');
  let words = $state<Record<string, string>>({});
  const of = (corner: string) => run.voices.find((voice) => voice.corner === corner);

  const say = (corner: string | null, felt: Felt | null, text: string | null): Promise<void> =>
    doing.do(async () => {
      const body = { run: run.run, corner, felt, words: text };
      await (token
        ? done(api.POST('/api/link/{token}/voices', { params: { path: { token } }, body }))
        : done(api.POST('/api/voices', { body })));
    });

  async function ask(event: Event): Promise<void> {
    event.preventDefault();
    await say(null, 'question', question.trim());
    if (doing.trouble) return;
    question = '';
    note(t.asked);
  }
</script>

<section aria-label={t.title}>
  <details bind:open>
    <summary><h2>{t.title}</h2></summary>
    <p class="muted">{t.run(run.started_at?.slice(11, 16) ?? '')}. {t.lead}</p>
    {#if doing.trouble}<Trouble error={doing.trouble} />{/if}
    <ul>
      {#each run.corners as corner (corner)}
        {@const said = of(corner)}
        <li>
          <div class="row" role="group" aria-label={corner}>
            <b>{corner}</b>
            {#each TAPS as tap (tap)}
              <button
                type="button"
                class="may"
                aria-pressed={said?.felt === tap}
                aria-label="{corner}: {t[tap]}"
                onclick={() => void say(corner, said?.felt === tap ? null : tap, said?.words ?? null)}
                >{t[tap]}</button
              >
            {/each}
          </div>
          {#if said && said.felt !== 'good'}
            <input
              class="input"
              maxlength="1000"
              aria-label="{corner}: {t.words}"
              placeholder={t.words}
              value={words[corner] ?? said.words ?? ''}
              oninput={(typed) => (words[corner] = typed.currentTarget.value)}
              onchange={() => void say(corner, said.felt, (words[corner] ?? '').trim() || null)}
            />
          {/if}
        </li>
      {/each}
    </ul>
    {#each run.voices.filter((voice) => voice.felt === 'question') as asked, i (i)}
      <p class="asked">{asked.words}</p>
    {/each}
    <form onsubmit={(event) => void ask(event)}>
      <input
        class="input"
        maxlength="1000"
        aria-label={t.question}
        placeholder={t.question}
        bind:value={question}
      />
      <button type="submit" class="may" disabled={!question.trim()}>{t.ask}</button>
    </form>
  </details>
</section>

<style>
  section {
    padding: 6px 0 18px;
    border-bottom: 1px solid var(--rule);
    margin-bottom: 14px;
  }
  h2 {
    font-size: 1.1em;
    font-weight: 640;
  }
  summary {
    cursor: pointer;
    min-height: 44px;
    display: flex;
    align-items: center;
  }
  summary::after {
    content: '';
    margin-left: auto;
    width: 9px;
    height: 9px;
    border-right: 2px solid var(--muted);
    border-bottom: 2px solid var(--muted);
    transform: rotate(45deg);
  }
  details[open] summary::after {
    transform: rotate(-135deg);
  }
  ul {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(100%, 300px), 1fr));
    gap: 6px 18px;
    margin: 10px 0;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
  }
  .row b {
    flex: 1;
    min-width: 34px;
    font-weight: 640;
    overflow-wrap: anywhere;
  }
  .row .may {
    min-height: 44px;
    min-width: 64px;
    justify-content: center;
    padding: 0.2rem 0.4rem;
  }
  .row .may[aria-pressed='true'] {
    border-color: var(--ink);
    font-weight: 640;
    box-shadow: inset 0 -3px 0 var(--brass);
  }
  .input {
    width: 100%;
    min-height: 44px;
    padding: 6px 10px;
    font-size: 16px;
    margin-top: 4px;
  }
  form {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  form .input {
    margin: 0;
    flex: 1;
    min-width: 0;
  }
  form .may {
    min-height: 44px;
  }
  .asked {
    border-left: 3px solid var(--accent);
    padding-left: 10px;
    margin: 6px 0;
    overflow-wrap: anywhere;
  }
</style>
