<script lang="ts">
  interface Props {
    x: number;
    y: number;
    words: string;
  }
  let { x, y, words }: Props = $props();
</script>

<text {x} {y}>{words}</text>

<style>
  text {
    fill: var(--color-base-content);
    font-weight: 600;
    font-size: 14px;
    /* legible where a curve runs behind it */
    paint-order: stroke;
    stroke: var(--color-base-200);
    stroke-width: 4;
    stroke-linejoin: round;
  }
</style>
