<script setup lang="ts" generic="T extends string | number">
/** One of a few choices: the browser's own list, which every keyboard and screen reader knows, in our colours. */
const value = defineModel<T>('value', { required: true })
defineProps<{ options: readonly { value: T; label: string }[]; label?: string }>()

function choose(event: Event): void {
  const index = (event.target as HTMLSelectElement).selectedIndex
  const option = (event.target as HTMLSelectElement).options[index] as (HTMLOptionElement & { _value: T }) | undefined
  if (option) value.value = option._value
}
</script>

<template>
  <select class="choice" :value="value" :aria-label="label" @change="choose">
    <option v-for="one in options" :key="one.value" :value="one.value">{{ one.label }}</option>
  </select>
</template>

<style>
.choice,
.text-choice {
  width: 100%;
  min-height: 32px;
  padding: 3px 26px 3px 10px;
  border: 1px solid #b4a98c;
  border-radius: 4px;
  background: var(--plate) url("data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' width='10' height='6'%3E%3Cpath d='M1 1l4 4 4-4' fill='none' stroke='%236a7178' stroke-width='1.5'/%3E%3C/svg%3E") no-repeat right 9px center;
  color: var(--ink);
  font: inherit;
  appearance: none;
}

.text-choice {
  padding-right: 10px;
  background-image: none;
}

.choice.small {
  width: auto;
  min-height: 24px;
  padding-block: 0;
}
</style>
