<!-- Who comes in: name, e-mail address, and a password that is long enough. -->
<script lang="ts">
  import { texts } from '$lib/words';

  interface Props {
    name: string;
    email: string;
    password: string;
    shortest: number;
  }
  let { name = $bindable(), email = $bindable(), password = $bindable(), shortest }: Props = $props();
  const t = texts.person;
  let shown = $state(false);
  const missing = $derived(Math.max(0, shortest - password.length));
</script>

<label class="label"
  ><span>{t.name}</span>
  <input class="input" autocomplete="name" maxlength="200" required bind:value={name} /></label
>
<label class="label"
  ><span>{t.email}</span>
  <input
    class="input"
    type="email"
    autocomplete="username"
    maxlength="190"
    required
    bind:value={email}
  /></label
>
<label class="label"
  ><span>{t.password}</span>
  <input
    class="input"
    type={shown ? 'text' : 'password'}
    autocomplete="new-password"
    minlength={shortest}
    maxlength="200"
    required
    aria-describedby="password-hint"
    bind:value={password}
  /></label
>
<p class="hint muted" id="password-hint">
  {missing ? t.hint(shortest) : t.longEnough}
  <label class="show"><input type="checkbox" bind:checked={shown} /> {t.show}</label>
</p>

<style>
  .hint {
    font-size: 13px;
    display: flex;
    justify-content: space-between;
    gap: 12px;
    margin-top: -8px;
  }
  .show {
    white-space: nowrap;
    display: flex;
    gap: 6px;
    align-items: center;
  }
</style>
