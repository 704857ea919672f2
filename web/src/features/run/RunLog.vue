<script setup lang="ts">
import { Button, Input } from 'ant-design-vue'
import { computed, nextTick, onMounted, onUnmounted, ref, toRef, watch } from 'vue'
import { linkTo as downloadLink, serverAddress } from '../../api/address'
import { answered, api } from '../../api/client'
import { PAGE_LINES, useLogLines } from './run'
import { useCopying } from '../../kit/copying'
import { count } from '../../kit/format'
import { dayOf, exactly, timeOfDay } from '../../kit/moments'
import { diskSize } from '../../kit/units'
import { useAction } from '../../kit/useAction'

/** The log of one attempt: any line of it, however long it is, followed while it is written. */
const props = defineProps<{ job: number; attempt: number; height?: string; steps?: { number: number; name: string }[]; line?: number | null; removedAt?: string | null }>()
const emit = defineEmits<{ line: [line: number] }>()

const LINE = 19
/** Browsers end near 33 million pixels; beyond this, a pixel stands for several lines. */
const TALLEST = 8_000_000
const { total, size, isOver, isEmpty, sections, trouble, pages, want, line, fetchPage } = useLogLines(toRef(props, 'job'), toRef(props, 'attempt'))
const box = ref<HTMLElement | null>(null)
const top = ref(0)
const boxHeight = ref(30 * LINE)
const visible = computed(() => Math.max(5, Math.ceil(boxHeight.value / LINE)))
const follows = ref(true)
const text = ref('')
const found = ref<number[]>([])
const more = ref(false)
const searched = ref('')
const at = ref(-1)
const { word, copy } = useCopying()

const tall = computed(() => Math.min(TALLEST, total.value * LINE))
/** Whether a pixel stands for several lines: then the way that can be scrolled is shared out among them. */
const isFolded = computed(() => total.value * LINE > TALLEST)
const pixels = computed(() => Math.max(1, tall.value - boxHeight.value))
const lastFirst = computed(() => Math.max(1, total.value - Math.floor(boxHeight.value / LINE) + 1))
const first = computed(() => {
  const at = isFolded.value ? Math.round((top.value / pixels.value) * (lastFirst.value - 1)) : Math.floor(top.value / LINE)
  return Math.max(1, Math.min(total.value, at + 1))
})
const shown = computed(() => {
  void pages.value
  const rows = []
  for (let number = first.value; number < first.value + visible.value + 2 && number <= total.value; number += 1) rows.push({ number, line: line(number) })
  return rows
})
const offset = computed(() => (isFolded.value ? Math.min(top.value, pixels.value) : (first.value - 1) * LINE))
const names = computed(() => new Map((props.steps ?? []).map((step) => [step.number, step.name])))
const begins = computed(() => new Map(sections.value.map((one) => [one.line, names.value.get(one.step) ?? ''])))
const here = computed(() => {
  const section = [...sections.value].reverse().find((one) => one.line <= first.value)
  return section ? (names.value.get(section.step) ?? '') : ''
})
const nothing = computed(() => {
  if (props.removedAt) return `Removed on ${dayOf(props.removedAt)}, after the retention time of the paddock.`
  return isOver.value ? 'No output.' : 'No output yet.'
})
const matches = computed(() => new Set(found.value))

function measure(): void {
  if (box.value) boxHeight.value = box.value.clientHeight
}

function scrolled(): void {
  if (!box.value) return
  top.value = box.value.scrollTop
  follows.value = box.value.scrollHeight - box.value.scrollTop - box.value.clientHeight < LINE * 2
}

watch([first, visible, total], () => want(first.value, first.value + visible.value), { immediate: true })
watch(total, async () => {
  if (!follows.value || props.line) return
  await nextTick()
  if (box.value) box.value.scrollTop = box.value.scrollHeight
})

async function goTo(number: number): Promise<void> {
  await fetchPage(Math.floor((number - 1) / PAGE_LINES))
  await nextTick()
  if (!box.value) return
  follows.value = false
  const third = boxHeight.value / 3
  box.value.scrollTop = isFolded.value ? ((number - 1 - third / LINE) / lastFirst.value) * pixels.value : (number - 1) * LINE - third
}

watch(() => props.line, (number) => number && void goTo(number))
watch(
  () => [props.job, props.attempt],
  () => {
    found.value = []
    searched.value = ''
    follows.value = true
    top.value = 0
  },
)

const search = useAction()

function find(step: 1 | -1): Promise<void> {
  return search.perform(() => findLine(step))
}

async function findLine(step: 1 | -1): Promise<void> {
  if (!text.value.trim()) {
    found.value = []
    searched.value = ''
    return
  }
  if (searched.value !== text.value) {
    const path = { id: props.job, number: props.attempt }
    const answer = await answered(api.GET('/api/v1/jobs/{id}/attempts/{number}/find/', { params: { path, query: { text: text.value } } }))
    found.value = answer.lines
    more.value = answer.more
    searched.value = text.value
    at.value = step === 1 ? -1 : 0
  }
  if (!found.value.length) return
  at.value = (at.value + step + found.value.length) % found.value.length
  await goTo(found.value[at.value] ?? 1)
}

const findStatus = computed(() => {
  if (!searched.value) return ''
  if (!found.value.length) return 'not found'
  return `${at.value + 1} of ${more.value ? 'more than ' : ''}${count(found.value.length, 'line')}`
})

function linkTo(number: number): void {
  emit('line', number)
  void copy(`${serverAddress}/runs/${props.job}?attempt=${props.attempt}&line=${number}`)
}

let sizes: ResizeObserver | undefined
onMounted(() => {
  measure()
  if (box.value) {
    sizes = new ResizeObserver(measure)
    sizes.observe(box.value)
  }
  if (props.line) void goTo(props.line)
})
onUnmounted(() => sizes?.disconnect())
</script>

<template>
  <section class="run-log" aria-label="Log" :data-lines="total">
    <div class="row bar">
      <strong>Log</strong>
      <span class="soft">{{ isEmpty ? '' : `${count(total, 'line')}, ${diskSize(size)}` }}<template v-if="!isOver"> · live</template></span>
      <span v-if="here" class="here">{{ here }}</span>
      <form v-if="!removedAt" class="row find" @submit.prevent="find(1)">
        <Input v-model:value="text" size="small" placeholder="Find in this log" aria-label="Find in this log" :maxlength="300" allow-clear @keydown.shift.enter.prevent="find(-1)" />
        <Button size="small" html-type="submit">Next</Button>
        <Button size="small" @click="find(-1)">Previous</Button>
        <span v-if="findStatus" class="soft" role="status" data-found>{{ findStatus }}</span>
      </form>
      <span v-if="!removedAt" class="row ends">
        <a :href="downloadLink(`/api/v1/jobs/${job}/log/?attempt=${attempt}`)" target="_blank" rel="noopener">Plain</a>
        <a :href="downloadLink(`/api/v1/jobs/${job}/log/?attempt=${attempt}&download`)">Save</a>
      </span>
    </div>
    <p v-if="trouble || search.trouble.value" class="trouble" role="alert">{{ trouble || search.trouble.value }}</p>
    <div ref="box" class="box" :style="{ height: height ?? '340px' }" tabindex="0" @scroll.passive="scrolled">
      <p v-if="isEmpty" class="nothing">{{ nothing }}</p>
      <div v-else :style="{ height: `${tall}px` }" class="whole">
        <div class="rows" :style="{ transform: `translateY(${offset}px)` }">
          <div v-for="row in shown" :key="row.number" class="line" :class="{ begins: begins.has(row.number), match: matches.has(row.number), chosen: row.number === props.line }" :data-line="row.number">
            <button type="button" class="bare number" :title="`${word} a link to line ${row.number}`" @click="linkTo(row.number)">{{ row.number }}</button>
            <time v-if="row.line?.at" class="at" :title="exactly(row.line.at)">{{ timeOfDay(row.line.at) }}</time><span v-else class="at" />
            <span v-if="begins.get(row.number)" class="step">{{ begins.get(row.number) }}</span>
            <code><span v-for="(span, i) in row.line?.spans ?? []" :key="i" :class="span.styles">{{ span.text }}</span></code>
          </div>
        </div>
      </div>
    </div>
  </section>
</template>

<style scoped>
.bar {
  gap: 10px;
  margin-bottom: 4px;
}

.find {
  gap: 4px;
  margin-left: auto;
}

.find :deep(.ant-input-affix-wrapper) {
  width: 190px;
}

.ends {
  gap: 10px;
}

.here {
  padding: 0 8px;
  border: 1px solid var(--fence);
  border-radius: 3px;
  max-width: 260px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.box {
  color-scheme: dark;
  overflow: auto;
  border-radius: 4px;
  background: var(--code);
  color: var(--code-ink);
}

.nothing {
  padding: 10px 12px;
  opacity: 0.75;
}

.whole {
  position: relative;
}

.rows {
  position: absolute;
  min-width: 100%;
}

.line {
  position: relative;
  display: flex;
  height: 19px;
  line-height: 19px;
  white-space: pre;
}

.number {
  min-width: 62px;
  flex: none;
  padding-right: 10px;
  color: inherit;
  font-family: var(--mono);
  font-size: 12px;
  text-align: right;
  opacity: 0.65;
}

.number:hover,
.number:focus-visible {
  opacity: 1;
  text-decoration: underline;
}

.at {
  width: 74px;
  flex: none;
  font-family: var(--mono);
  font-size: 12px;
  opacity: 0.65;
}

code {
  padding-right: 20px;
}

.begins {
  box-shadow: inset 0 1px #f2c12e;
}

.step {
  margin-right: 8px;
  padding: 0 8px;
  border-radius: 0 0 3px 3px;
  background: #f2c12e;
  color: #23262b;
  font-size: 12px;
  line-height: 17px;
}

.match {
  background: rgb(242 193 46 / 18%);
}

.chosen {
  background: rgb(242 193 46 / 32%);
}

.bold { font-weight: 700; }
.faint { opacity: 0.7; }
.italic { font-style: italic; }
.underlined { text-decoration: underline; }
.red { color: #f0907a; }
.green { color: #a9cf93; }
.yellow { color: #f2c12e; }
.blue { color: #8fc3dd; }
.magenta { color: #dba7cf; }
.cyan { color: #8ed4cf; }
.black { color: #9aa0a6; }
.white { color: #fff; }
.on-red { background: #7d3020; }
.on-green { background: #38552a; }
.on-yellow { background: #7a5f0c; }
.on-blue { background: #1f4d63; }
.on-magenta { background: #63375a; }
.on-cyan { background: #1f5a57; }
.on-black { background: #000; }
.on-white { background: #d8d4c8; color: #23262b; }
</style>
