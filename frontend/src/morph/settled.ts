/** What stands beside the morph waits a frame while an edge is drawn: the hand looks at the edge and its figure. */
import { shallowRef, watch, type Ref, type ShallowRef } from "vue";

/** ``source`` as it was a frame ago while it is ``moving``, and as it is otherwise. */
export function settled<T>(source: Ref<T>, moving: () => boolean): ShallowRef<T> {
  const shown = shallowRef(source.value) as ShallowRef<T>;
  const follow = () => (shown.value = source.value);
  watch(source, () => void (moving() ? requestAnimationFrame(follow) : follow()), { flush: "sync" });
  return shown;
}
