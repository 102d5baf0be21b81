import PDFDocument from 'pdfkit';
import { DateTime } from 'luxon';
import { sunPosition } from '@tawny/core';
import { clockOwner } from '@tawny/contract';
import { takeTimeFrom } from '@tawny/contract/takeRules';
import type {
  CameraBody,
  CameraClock,
  LensRecord,
  Location,
  PanoramaRig,
  Production,
  Setup,
  ShootDay,
  Take,
} from '@tawny/contract';

interface ReportFacts {
  production: Production;
  day: ShootDay;
  location: Location;
  setups: readonly Setup[];
  /** Takes of a setup in the order of their times, in parts. */
  takes: (setupId: string) => AsyncIterable<readonly Take[]>;
  bodies: readonly CameraBody[];
  lenses: readonly LensRecord[];
  clocks: readonly CameraClock[];
  rigs: readonly PanoramaRig[];
}

interface Column {
  title: string;
  width: number;
  of: (t: Take) => string;
}

const MARGIN = 36;
const ROW = 15;
const STATUS = { good: 'good', circled: 'CIRCLED', ng: 'no good', wild: 'wild' } as const;
const ANY = (v: number | null, unit = '') => (v === null ? '–' : `${v}${unit}`);

/** The printable camera report of a day: one table a setup, landscape A4. */
export async function cameraReport(f: ReportFacts): Promise<Buffer> {
  const doc = new PDFDocument({
    size: 'A4',
    layout: 'landscape',
    margin: MARGIN,
    bufferPages: true,
    info: { Title: `${f.production.title}, day ${f.day.number}, camera report` },
  });
  const chunks: Buffer[] = [];
  const done = new Promise<Buffer>((resolve, reject) => {
    doc.on('data', (c: Buffer) => chunks.push(c));
    doc.on('end', () => resolve(Buffer.concat(chunks)));
    doc.on('error', reject);
  });
  const zone = f.location.zone;
  const columns: Column[] = [
    { title: 'Take', width: 48, of: (t) => `${t.slate}/${t.take}` },
    { title: 'Cam', width: 26, of: (t) => t.camera },
    {
      title: 'Time',
      width: 44,
      // To the second only where it was logged so.
      of: (t) =>
        DateTime.fromJSDate(new Date(t.shotAt), { zone }).toFormat(
          takeTimeFrom(t).kind === 'assumed' ? "HH:mm '?'" : 'HH:mm:ss',
        ),
    },
    { title: 'Status', width: 46, of: (t) => STATUS[t.status] },
    { title: 'Clip', width: 64, of: (t) => t.clip },
    { title: 'Timecode in', width: 58, of: (t) => t.timecodeIn ?? '' },
    { title: 'Lens', width: 88, of: (t) => f.lenses.find((l) => l.id === t.lensId)?.name ?? '' },
    { title: 'mm', width: 30, of: (t) => String(t.focalLengthMm) },
    { title: 'T', width: 26, of: (t) => String(t.tStop) },
    { title: 'EI', width: 30, of: (t) => String(t.ei) },
    { title: 'Angle', width: 32, of: (t) => `${t.shutterAngleDeg}°` },
    { title: 'fps', width: 34, of: (t) => String(t.fps) },
    { title: 'ND', width: 24, of: (t) => String(t.ndStops) },
    { title: 'Height', width: 38, of: (t) => ANY(t.heightM, ' m') },
    { title: 'Tilt', width: 30, of: (t) => ANY(t.tiltDeg, '°') },
    {
      title: 'Heading',
      width: 42,
      of: (t) => `${ANY(t.headingDeg, '°')}${t.headingNorth === 'magnetic' ? ' mag' : ''}`,
    },
    {
      title: 'Sun az / el',
      width: 62,
      of: (t) => {
        const s = sunPosition(f.location, new Date(t.shotAt));
        return `${s.azimuthDeg.toFixed(1)} / ${s.elevationDeg.toFixed(1)}°`;
      },
    },
  ];
  const bottom = doc.page.height - MARGIN - 14;
  const line = (cells: string[], bold: boolean) => {
    if (doc.y + ROW > bottom) doc.addPage();
    const y = doc.y;
    let x = MARGIN;
    doc.font(bold ? 'Helvetica-Bold' : 'Helvetica').fontSize(8);
    columns.forEach((c, i) => {
      doc.text(cells[i], x, y, { width: c.width - 4, height: ROW - 3, ellipsis: true, lineBreak: false });
      x += c.width;
    });
    doc
      .moveTo(MARGIN, y + ROW - 4)
      .lineTo(doc.page.width - MARGIN, y + ROW - 4)
      .lineWidth(0.4)
      .strokeColor('#b0a696')
      .stroke();
    doc.x = MARGIN;
    doc.y = y + ROW;
  };
  doc.font('Helvetica-Bold').fontSize(16).text(`${f.production.title}: camera report`, MARGIN, MARGIN);
  doc
    .font('Helvetica')
    .fontSize(10)
    .text(
      `Day ${f.day.number}, ${f.day.date}, ${f.day.unit} · ${f.location.name} · call ${f.day.callLocal}, wrap ${f.day.wrapLocal} (${zone})${f.day.weather ? ` · ${f.day.weather}` : ''}`,
    );
  for (const c of f.clocks)
    doc.text(
      `Clock of ${clockOwner(c, f.rigs)}: ${c.offsetS >= 0 ? '+' : ''}${c.offsetS} ± ${c.uncertaintyS} s against true time (${c.source})`,
    );
  for (const setup of f.setups) {
    doc.moveDown(0.8);
    if (doc.y + 3 * ROW > bottom) doc.addPage();
    doc
      .font('Helvetica-Bold')
      .fontSize(11)
      .text(`${setup.slate}  ${setup.name}`, MARGIN)
      .font('Helvetica')
      .fontSize(9)
      .text(`${setup.lightCondition}${setup.plannedCg ? ` · planned: ${setup.plannedCg}` : ''}`);
    doc.moveDown(0.3);
    let headed = false;
    let assumed = false;
    for await (const takes of f.takes(setup.id)) {
      if (!headed)
        line(
          columns.map((c) => c.title),
          true,
        );
      headed = true;
      for (const t of takes) {
        assumed ||= takeTimeFrom(t).kind === 'assumed';
        line(
          columns.map((c) => c.of(t)),
          t.status === 'circled',
        );
        if (t.notes)
          doc
            .font('Helvetica-Oblique')
            .fontSize(8)
            .text(t.notes, MARGIN + 48, doc.y - 2)
            .moveDown(0.2);
      }
    }
    if (!headed) doc.fontSize(9).text('No takes.');
    if (assumed) doc.font('Helvetica').fontSize(8).text('Time ?: assumed, nobody said when that take ran', MARGIN);
  }
  const pages = doc.bufferedPageRange();
  for (let i = 0; i < pages.count; i++) {
    doc.switchToPage(i);
    doc
      .font('Helvetica')
      .fontSize(8)
      .text(
        `${f.production.code} day ${f.day.number} · page ${i + 1} of ${pages.count}`,
        MARGIN,
        doc.page.height - MARGIN - 4,
        { lineBreak: false },
      );
  }
  doc.end();
  return done;
}
