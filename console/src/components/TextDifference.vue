<!-- Two texts as one, with what is taken out and what is put in. -->
<script setup lang="ts">
import { unifiedMergeView } from '@codemirror/merge'
import { EditorState } from '@codemirror/state'
import { EditorView } from '@codemirror/view'
import { onUnmounted, useTemplateRef, watchEffect } from 'vue'

const props = defineProps<{ before: string; after: string }>()
const place = useTemplateRef<HTMLElement>('place')
let view: EditorView | undefined

watchEffect(() => {
  view?.destroy()
  if (!place.value) return
  view = new EditorView({
    parent: place.value,
    doc: props.after,
    extensions: [
      EditorState.readOnly.of(true),
      EditorView.editable.of(false),
      EditorView.lineWrapping,
      unifiedMergeView({
        original: props.before,
        mergeControls: false,
        gutter: true,
        collapseUnchanged: { margin: 2, minSize: 4 },
      }),
      EditorView.theme({
        '&': { fontSize: '12.5px', backgroundColor: 'var(--surface)', color: 'var(--text)' },
        '.cm-scroller': { fontFamily: 'ui-monospace, monospace' },
        '.cm-gutters': { backgroundColor: 'var(--surface)', border: 'none' },
        '.cm-collapsedLines::before, .cm-collapsedLines::after': { content: 'none !important' },
        '.cm-collapsedLines': { background: 'var(--ground)', color: 'var(--quiet)' },
      }),
    ],
  })
  view.scrollDOM.tabIndex = 0 // it scrolls by the keyboard, too
})
onUnmounted(() => view?.destroy())
</script>

<template>
  <div ref="place" class="difference" role="region" aria-label="what differs in the text"></div>
</template>

<style scoped>
.difference {
  max-height: 340px;
  overflow: auto;
  border: 1px solid var(--line);
  border-radius: var(--radius);
}
</style>
