<script setup lang="ts">
import TimeAgo from '../../kit/TimeAgo.vue'

/** One entry of the list of what needs a hand: since when, what, why, and what to do. */
defineProps<{ what: string; since: string; kind: 'note' | 'trouble' }>()
</script>

<template>
  <article class="item">
    <p class="when" :class="kind">{{ what }} · <TimeAgo :at="since" /></p>
    <h3><slot name="title" /></h3>
    <p class="soft"><slot /></p>
    <slot name="more" />
    <div v-if="$slots.actions" class="row"><slot name="actions" /></div>
  </article>
</template>

<style scoped>
.item {
  padding: 10px 0 12px;
  border-bottom: 1px solid var(--fence);
}

.when {
  font-size: 12px;
  font-weight: 600;
}

h3 {
  margin: 1px 0 2px;
  font-size: 14px;
}

h3 :deep(a) {
  color: inherit;
}

.row {
  margin-top: 7px;
}
</style>
