<script lang="ts">
  import { answerOf, api } from '$lib/api/client';
  import { address } from '$lib/address.svelte';
  import { useChange } from '$lib/change.svelte';
  import { me } from '$lib/me.svelte';
  import { ROOT } from '$lib/root';
  import WordMenu from '$src/menus/WordMenu.svelte';

  const OUT = 'out';
  const options = $derived([
    { value: '/account', label: 'Your account' },
    ...(me.session?.person?.is_admin ? [{ value: '/accounts', label: 'Accounts' }] : []),
    { value: OUT, label: 'Sign out' },
  ]);
  const signOut = useChange(
    () => answerOf(api.POST('/api/sign-out')),
    // nothing of whoever was here stays on the page
    () => location.assign(`${ROOT}/`),
  );
</script>

<WordMenu
  text={me.name}
  title="Account"
  chosen={[]}
  {options}
  acts
  onchoose={([value]) => (value === OUT ? void signOut.run(undefined) : address.visitPage(value ?? '/'))}
  quiet
/>
