<!-- Preferences and sign-out. They are kept with the account. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { Popover, Portal, SegmentedControl, Switch } from '@skeletonlabs/skeleton-svelte';
  import { CircleUserRound } from '@lucide/svelte';
  import type { Me } from '$lib/api/client';
  import { present } from '$lib/session/present.svelte';
  import { texts } from '$lib/words';

  const t = texts.account;
  const choices = [
    {
      name: 'units' as const,
      label: t.units,
      items: [
        ['metric', t.metric],
        ['imperial', t.imperial],
      ],
    },
    {
      name: 'look' as const,
      label: t.look,
      items: [
        ['system', t.system],
        ['light', t.light],
        ['dark', t.dark],
      ],
    },
  ];

  async function leave(): Promise<void> {
    await present.leave();
    await goto('/sign-in');
  }
</script>

<Popover positioning={{ placement: 'bottom-end' }}>
  <Popover.Trigger class="account" aria-label={t.open} title={t.open}
    ><CircleUserRound size={20} /></Popover.Trigger
  >
  <Portal>
    <Popover.Positioner class="z-50!">
      <Popover.Content class="menu">
        <p class="who">{present.me?.name}<span class="muted">{present.me?.team}</span></p>
        {#each choices as choice (choice.name)}
          <SegmentedControl
            value={present.me?.[choice.name] ?? null}
            onValueChange={(details) => present.prefer({ [choice.name]: details.value })}
          >
            <SegmentedControl.Label class="mini">{choice.label}</SegmentedControl.Label>
            <SegmentedControl.Control class="segments">
              <SegmentedControl.Indicator class="indicator" />
              {#each choice.items as [value, label] (value)}
                <SegmentedControl.Item value={value as string} class="segment">
                  <SegmentedControl.ItemText>{label}</SegmentedControl.ItemText>
                  <SegmentedControl.ItemHiddenInput />
                </SegmentedControl.Item>
              {/each}
            </SegmentedControl.Control>
          </SegmentedControl>
        {/each}
        <Switch
          checked={present.me?.shortcuts ?? true}
          onCheckedChange={(details) => present.prefer({ shortcuts: details.checked })}
          class="row"
        >
          <Switch.Control class="toggle"><Switch.Thumb class="knob" /></Switch.Control>
          <Switch.Label>{t.shortcuts}</Switch.Label>
          <Switch.HiddenInput />
        </Switch>
        <label class="dates"
          ><span class="mini">{t.dates}</span>
          <select
            class="select"
            value={present.me?.dates}
            onchange={(event) => present.prefer({ dates: event.currentTarget.value as Me['dates'] })}
          >
            {#each t.dateLanguages as [value, label] (value)}<option {value}>{label}</option>{/each}
          </select></label
        >
        <a class="may" href="/account">{t.page}</a>
        {#if present.me?.role !== 'driver'}<a class="may" href="/running">{texts.running.title}</a>{/if}
        <button type="button" class="may" onclick={leave}>{t.leave}</button>
      </Popover.Content>
    </Popover.Positioner>
  </Portal>
</Popover>

<style>
  :global(.account) {
    display: grid;
    place-items: center;
    width: 32px;
    height: 32px;
    border-radius: 5px;
    cursor: pointer;
    color: var(--ink);
  }
  :global(.account:hover) {
    background: var(--strip);
  }
  :global(.menu) {
    width: 300px;
    padding: 16px;
    display: grid;
    gap: 14px;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-radius: 6px;
    box-shadow: 0 6px 24px rgb(0 0 0 / 0.14);
  }
  .who {
    font-weight: 620;
    display: grid;
  }
  .who span {
    font-weight: 400;
  }
  :global(.mini) {
    font-size: 12px;
    color: var(--muted);
    display: block;
    margin-bottom: 4px;
  }
  :global(.segments) {
    display: flex;
    width: 100%;
    position: relative;
    border: 1px solid var(--rule);
    border-radius: 5px;
    padding: 2px;
    background: var(--paper);
  }
  :global(.segments .segment) {
    flex: 1;
    text-align: center;
    padding: 4px 6px;
    font-size: 13px;
    cursor: pointer;
    border-radius: 4px;
    position: relative;
    z-index: 1;
  }
  :global(.segments .segment[data-state='checked']) {
    background: var(--accent);
    color: var(--on-accent);
    font-weight: 560;
  }
  :global(.segments .indicator) {
    display: none;
  }
  :global(.menu .row) {
    display: flex;
    gap: 10px;
    align-items: center;
    font-size: 13px;
  }
</style>
