declare module 'piexifjs' {
  interface Piexif {
    TAGS: Record<string, Record<number, { name: string; type: string }>>;
    ImageIFD: Record<string, number>;
    ExifIFD: Record<string, number>;
    GPSIFD: Record<string, number>;
    /** Exif block of tags by directory. */
    dump(tags: Record<string, Record<number, unknown>>): string;
    /** The JPEG with the block in it; one character a byte. */
    insert(exif: string, jpeg: string): string;
  }
  const piexif: Piexif;
  export default piexif;
}
