<!-- The text of a design, with what the service says of its lines in the margin. -->
<script setup lang="ts">
import type { EditorView } from '@codemirror/view'
import { onMounted, onUnmounted, useTemplateRef, watch } from 'vue'
import type { Schema } from '../editor/schema'
import { goTo, makeEditor, remark, setText, type Remark } from '../editor/setup'

const props = defineProps<{ remarks: Remark[]; schema?: Schema; names: string[] }>()
const emit = defineEmits<{ moved: [line: number] }>()
const text = defineModel<string>({ required: true })

const place = useTemplateRef<HTMLElement>('place')
let view: EditorView | undefined

onMounted(() => {
  view = makeEditor(
    place.value!,
    text.value,
    { schema: () => props.schema, names: () => props.names },
    { changed: (t) => (text.value = t), moved: (line) => emit('moved', line) },
  )
  remark(view, props.remarks)
})
onUnmounted(() => view?.destroy())
watch(text, (t) => view && setText(view, t))
watch(
  () => props.remarks,
  (all) => view && remark(view, all),
)

defineExpose({
  goTo: (line: number) => {
    if (view) goTo(view, line)
  },
})
</script>

<template>
  <div ref="place" class="editor" data-part="editor"></div>
</template>

<style scoped>
.editor {
  height: 100%;
  min-height: 0;
  overflow: hidden;
}
</style>
