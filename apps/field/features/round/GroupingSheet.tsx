import {
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useDraggable,
  useDroppable,
  useSensor,
  useSensors,
  type DragEndEvent,
} from '@dnd-kit/core';
import { useState } from 'react';
import { View } from 'react-native';
import type { GroupingResult, LightRound } from '@tawny/contract';
import { useSave } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Figure, Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { RADIUS, SPACE, TARGET } from '../../ui/tokens';
import { shutterText } from './ladderMath';

type SheetFrame = GroupingResult['views'][number]['frames'][number];

/** All frames on one sheet, a row a view: a frame that stands in the wrong one is dragged (or moved by space and arrows) into its own. */
export function GroupingSheet({ round, grouping }: { round: LightRound; grouping: GroupingResult }) {
  const [views, setViews] = useState<SheetFrame[][]>(grouping.views.map((v) => v.frames));
  const save = useSave<LightRound>('rounds');
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor),
  );
  const drop = ({ active, over }: DragEndEvent) => {
    if (!over) return;
    const target = Number(over.id);
    setViews((old) => {
      const frame = old.flat().find((f) => f.id === active.id)!;
      const without = old.map((v) => v.filter((f) => f.id !== frame.id));
      const next =
        target >= without.length
          ? [...without, [frame]]
          : without.map((v, i) => (i === target ? [...v, frame].sort((a, b) => b.exposure - a.exposure) : v));
      return next.filter((v) => v.length > 0);
    });
  };
  const changed =
    JSON.stringify(views.map((v) => v.map((f) => f.id))) !==
    JSON.stringify(grouping.views.map((v) => v.frames.map((f) => f.id)));
  return (
    <View style={{ gap: SPACE(3) }}>
      <Text size="small" tone="quietInk">
        Drag a frame into the view that it belongs to; by keyboard: space, arrows, space.
      </Text>
      <DndContext sensors={sensors} onDragEnd={drop}>
        {views.map((frames, i) => (
          <ViewRow key={i} index={i} title={`View ${i + 1}`} note={`${frames.length} frames`} frames={frames} />
        ))}
        <ViewRow index={views.length} title="A view of its own" note="drop here" frames={[]} />
      </DndContext>
      {save.error ? <Notice state="lost" title="The views were not saved" detail={save.error.message} /> : null}
      <Row wrap>
        <Action
          kind="main"
          title="Keep these views"
          disabled={!changed}
          busy={save.isPending}
          onPress={() =>
            save.mutate({
              record: round,
              change: { manualViews: views.map((v) => v.map((f) => f.id)), rig: { ...round.rig, views: views.length } },
            })
          }
        />
        {round.manualViews ? (
          <Action
            title="Let the metadata decide"
            onPress={() => save.mutate({ record: round, change: { manualViews: null } })}
          />
        ) : null}
      </Row>
    </View>
  );
}

function ViewRow({
  index,
  title,
  note,
  frames,
}: {
  index: number;
  title: string;
  note: string;
  frames: readonly SheetFrame[];
}) {
  const { palette } = useTheme();
  const { setNodeRef, isOver } = useDroppable({ id: String(index) });
  return (
    <View
      ref={setNodeRef as never}
      testID={`sheet-view-${index + 1}`}
      style={{
        borderWidth: isOver ? 2 : 1,
        borderColor: isOver ? palette.ink : palette.hairline,
        borderRadius: RADIUS,
        padding: SPACE(2),
        gap: SPACE(2),
        minHeight: TARGET + 20,
      }}
    >
      <Row style={{ justifyContent: 'space-between' }}>
        <Text strong>{title}</Text>
        <Text size="small" tone="quietInk">
          {note}
        </Text>
      </Row>
      <Row wrap gap={2}>
        {frames.map((f) => (
          <FrameChip key={f.id} frame={f} />
        ))}
      </Row>
    </View>
  );
}

function FrameChip({ frame }: { frame: SheetFrame }) {
  const { palette } = useTheme();
  const { attributes, listeners, setNodeRef, transform, isDragging } = useDraggable({ id: frame.id });
  return (
    <View
      ref={setNodeRef as never}
      {...(attributes as object)}
      {...(listeners as object)}
      aria-label={`${frame.name}, ${shutterText(frame.shutterS)}`}
      style={
        {
          minHeight: TARGET,
          justifyContent: 'center',
          paddingHorizontal: SPACE(2),
          borderWidth: 1,
          borderColor: isDragging ? palette.ink : palette.hairline,
          borderRadius: RADIUS,
          backgroundColor: palette.ground,
          cursor: 'grab',
          touchAction: 'none',
          zIndex: isDragging ? 9 : 0,
          transform: transform ? `translate(${transform.x}px, ${transform.y}px)` : undefined,
        } as object
      }
    >
      <Figure value={shutterText(frame.shutterS)} size="body" />
      <Text size="small" tone="quietInk">
        {frame.name}
      </Text>
    </View>
  );
}
