<!-- The day's drivers: what is to be won, what they were asked, what became of it, and who waits. -->
<script lang="ts">
  import type { DebriefDay, DebriefDriver } from '$lib/api/client';
  import { driverColour } from '$lib/draw/colours';
  import { mode } from '$lib/draw/mode.svelte';
  import DayReference from '$lib/parts/DayReference.svelte';
  import { say } from '$lib/quantities/said';
  import { figure, unitOf } from '$lib/quantities/units';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  interface Props {
    day: DebriefDay | undefined;
    run: number | null;
    to: (run: number) => string;
  }
  let { day, run, to }: Props = $props();

  const t = texts.debrief;
  const time = $derived(unitOf('time', present.units));
  const won = (one: DebriefDriver): string =>
    one.to_win_s === null
      ? t.compared
      : one.to_win_s > 0
        ? t.toWin(figure(one.to_win_s, time))
        : t.nothingToWin;
  /** The conditions stand beside every gap where not everybody had the same. */
  const mixed = $derived(new Set((day?.drivers ?? []).map((one) => one.conditions)).size > 1);
  const state = (one: DebriefDriver): string => {
    if (one.debrief?.given_at)
      return one.debrief.changed ? t.changedSince : one.debrief.opened_at ? t.opened : t.given;
    return one.debrief?.cues.length ? t.prepared(one.debrief.cues.length) : t.waits;
  };
  /** What was asked last, with what became of it. */
  const last = (one: DebriefDriver): [string, string][] =>
    (one.before?.cues ?? [])
      .filter((cue) => cue.kind === 'cue')
      .map((cue) => [
        cue.text ?? say(cue.says, present.units),
        t.answers[one.answers[String(cue.id)] ?? ''] ?? '',
      ]);
</script>

<h2>{t.drivers}</h2>
{#if day?.event}<DayReference event={day.event.id} day={day.event.day} />{/if}
<ul>
  {#each day?.drivers ?? [] as one (one.driver.id)}
    <li class:open={one.run === run} class:waits={one.waits}>
      <a href={to(one.run)} aria-current={one.run === run ? 'true' : undefined}>
        <strong><i style:background={driverColour(one.driver.colour, mode.dark)}></i>{one.driver.name}</strong
        >
        <span class="won figure" title={t.toWinHint}>{won(one)}</span>
      </a>
      <p class="small">
        <span class="state">{state(one)}</span>
        <span class="muted"
          >{t.runs(
            one.runs,
          )}{#if mixed || one.conditions !== 'dry'}{`, ${t.drove[one.conditions]}`}{/if}</span
        >
        {#each one.voices.filter((voice) => voice.felt !== 'good') as voice, i (i)}
          <span class="muted">{voice.corner ?? ''} {t.felt[voice.felt]}</span>
        {/each}
      </p>
      {#each last(one) as [words, answer], i (i)}
        <p class="small muted asked">
          {words}
          {#if answer}<b>{answer}</b>{/if}
        </p>
      {/each}
    </li>
  {/each}
</ul>

<style>
  h2 {
    font-size: 15px;
    font-weight: 640;
    margin: 8px 0 4px;
  }
  li {
    padding: 8px 10px;
    border-left: 3px solid transparent;
    border-top: 1px solid var(--rule);
  }
  li.waits {
    border-left-color: var(--brass);
  }
  li.open {
    background: var(--strip);
  }
  a {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    color: var(--ink);
    align-items: baseline;
    min-height: 26px;
  }
  strong {
    font-weight: 640;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  i {
    display: inline-block;
    width: 10px;
    height: 10px;
    border-radius: 5px;
    margin-right: 7px;
  }
  .won {
    white-space: nowrap;
  }
  .small {
    font-size: 12.5px;
    display: flex;
    flex-wrap: wrap;
    gap: 2px 10px;
  }
  .asked {
    display: block;
    overflow-wrap: anywhere;
    margin-top: 3px;
  }
  .asked b {
    font-weight: 600;
    color: var(--ink);
  }
</style>
