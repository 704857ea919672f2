<script setup lang="ts">
import { useNow } from './clock'
import { ago } from './format'
import { exactly } from './moments'

defineProps<{ at: string }>()
const now = useNow()
</script>

<template>
  <time :datetime="at" :title="exactly(at)">{{ ago(at, now) }}</time>
</template>
